"""One file for each command: arguments in, a stage called, a report out; no logic.

A command's module has ``EXAMPLE`` (shown in its help), ``arguments(parser)`` and ``run(args, screen)``, which returns
the exit status. Its name and one-line help stand here, so that ``kotrel -h`` imports none of them.
"""

from __future__ import annotations

COMMANDS = {
    "demo": "play the worked example in a new folder",
    "init": "make a workspace with a practice system, or connect one to your own",
    "records": "show what the connected system takes: record types, or one record's fields",
    "template": "make an empty sheet with headings, a guide and drop-downs from the real lists",
    "export": "export what the system holds, safe for spreadsheets",
    "inspect": "show what is in a spreadsheet",
    "map": "propose which column feeds which field, and save it",
    "check": "find everything that is wrong in a spreadsheet",
    "prepare": "write the sheet as Kotrel understood it, in the shape of the template",
    "compare": "compare two sheets: rows added, removed, and changed from what to what",
    "preview": "show what a load would do; nothing is changed",
    "load": "load a sheet, all or nothing",
    "history": "list the loads so far",
    "outcome": "show one load, row by row",
    "verify": "read one load back and compare it with what was sent",
    "undo": "undo one load",
    "reprice": "work out new prices by rules, to read and load",
    "price": "the price in force, and how it comes about",
    "stock": "what is on hand, where, and what it is worth",
    "reorder": "what to order up to level",
    "count": "a physical count: freeze, sheets, collect, variance, set, post",
    "write": "write the upload file that another program insists on",
    "lists": "show what a program that only exchanges files last gave out",
    "practice": "play with the practice system: a busy shop floor, or back to its start",
}
"""Command → its one-line help, in the order people meet them."""
