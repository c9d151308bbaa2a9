"""Pages to print, file or send: what a load did, what a count found, what is wrong with a sheet."""
