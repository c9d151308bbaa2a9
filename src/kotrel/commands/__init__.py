"""One file for each command: arguments in, a stage called, a report out; no logic.

A command's module has ``EXAMPLE`` (shown in its help), ``arguments(parser)`` and ``run(args, screen)``, which returns
the exit status. Its name and one-line help stand here, so that ``kotrel -h`` imports none of them.
"""

from __future__ import annotations

COMMANDS = {
    "demo": "play the worked example in a folder of its own",
    "init": "make a workspace, with a practice system or connected to yours",
    "records": "what the connected system takes: record types, or one record's fields",
    "template": "an empty sheet that guides: headings, a guide, drop-downs from the real lists",
    "export": "what the system holds, safe for spreadsheets",
    "inspect": "what is in a spreadsheet",
    "map": "propose which column feeds which field, and save it",
    "check": "find everything that is wrong in a spreadsheet",
    "prepare": "the sheet as Kotrel understood it, in the shape of the template",
    "compare": "two sheets: rows added, gone, changed from what to what",
    "preview": "what a load would do, before anything is touched",
    "load": "load it, all or nothing",
    "history": "the loads so far",
    "outcome": "one load, row by row",
    "verify": "read one load back, and compare it with what was sent",
    "undo": "take one load back",
}
"""Command → its one-line help, in the order people meet them."""
