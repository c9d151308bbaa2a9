"""The system description: what it says, reading it, drafting one, and what it says in words."""
