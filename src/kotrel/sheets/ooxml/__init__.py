"""What is read from the archive of a workbook itself, because no reader of cells gives it."""
