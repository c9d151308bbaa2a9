"""Any database through its own tables, as the system description says."""
