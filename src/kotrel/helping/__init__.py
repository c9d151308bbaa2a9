"""What explains Kotrel at the command line: help by topic, and completion for the shell."""
