"""The system description: its data model, how it is read and drafted, and what it says in words."""
