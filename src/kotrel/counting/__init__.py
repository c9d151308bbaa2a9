"""Physical counts: freeze, sheets, collect, variance, post; the commands, their files and what they show."""
