"""Settings as workbooks: every settings file of a workspace can be read and changed in a spreadsheet program."""
