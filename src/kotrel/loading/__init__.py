"""From a spreadsheet to a load, its outcome and its undo: the main road, in three rooms."""
