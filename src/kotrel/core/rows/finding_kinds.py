"""Every kind of finding, declared once: what it means, what to do, and whether rows that are written anew would still
show it.

``docs/reference/findings.md`` is made of this table, and so is what lasts when rows leave their sheet.
"""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

Lasting = Literal["value", "cell", "no value", "sheet"]
"""Who shows the error: the ``value`` itself, wherever it is written; only its ``cell`` (how it is kept, the system, an
export or the rules of its prices show it); only its cell, which has ``no value``; or only the ``sheet`` as a whole.
"""


class FindingKind(Struct, frozen=True):
    """One kind of finding.

    Attributes:
        topic: the heading under which the reference lists it.
        severity: what it usually is: ``error``, ``warning``, ``note``, or ``error or warning``.
        means: what is wrong, in a sentence.
        to_do: what a person does about it.
        lasting: see :data:`Lasting`.
    """

    topic: str
    severity: str
    means: str
    to_do: str
    lasting: Lasting = "value"


_TOPICS: dict[str, dict[str, tuple[str, ...]]] = {
    "Sheets and columns": {
        "column-missing": ("error", "A column that the record needs is missing.", "Add the column, or say with kotrel map which column has it."),
        "no-key-column": ("error", "The column with the key is missing, so no row can be found.", "Add the column, or name another with --match-on."),
        "heading-twice": ("error", "Two columns have a heading for the same field.", "Rename or delete one of them.", "sheet"),
        "renamed-heading": ("error", "A column of an export got another heading, so its edits would be left out.", "Give it its heading again.", "sheet"),
        "export-not-remembered": ("error", "The sheet says that it came from an export that this workspace does not have.", "Use the workspace that exported it, or --since none.", "sheet"),
        "export-likely": ("warning", "The file looks like an export, but does not say which.", "Name the export with --since."),
        "edited-text": ("warning", "A text file that Kotrel made was edited; its workbook was not.", "Edit the workbook, and make the text file from it."),
        "outdated-text": ("warning", "A text file is older than the workbook it was made from.", "Make it again from the workbook."),
        "sheet-nearly-fits": ("error", "A sheet has nearly the headings of a saved mapping.", "Correct the headings, or name the mapping with --map.", "sheet"),
        "sheet-not-read": ("warning", "A sheet of the workbook was not read.", "Read it with --sheet, or give it a mapping."),
        "hidden-sheet": ("warning", "A hidden sheet was not read.", "Show it, or read it with --sheet."),
        "hidden-column": ("warning", "Hidden columns are read like all others.", "Check them, or delete them."),
        "hidden-row": ("warning", "Hidden rows are read like all others.", "Check them, or delete them."),
        "struck-through": ("warning", "Rows or cells are struck through, and are read like all others.", "Delete what does not count."),
        "second-table": ("error", "Another table is below the first one.", "Put it on its own sheet."),
        "unknown-heading": ("warning", "No field has this heading; the column is left out.", "Say with kotrel map what it feeds, or skip it there."),
        "heading-as-row": ("error", "The first row looks like headings, and is read as a row.", "Say heading_row = 1 in the mapping, or delete that row."),
        "shown-otherwise": ("warning", "A number's format shows other words with it, or nothing.", "Check which of the two is meant."),
        "raised-sign": ("error or warning", "A part of the cell is raised or lowered, such as a footnote.", "Delete it, if it is none of the value."),
        "partly-struck": ("error or warning", "A part of the cell is struck through.", "Delete what does not count."),
        "labels-of-groups": ("error", "A label is only in the first row of each group.", "Write it in each row, or let a mapping fill it down.", "sheet"),
        "heading-says": ("error", "A heading says a factor, a unit, a tax or a year that is not the field's.", "Say in the mapping what it means, or that the column is used as it is.", "sheet"),
        "not-looked-up": ("error", "The table that a mapping looks a value up in does not have it.", "Correct the cell or the table, or give the lookup a default."),
        "per-unreadable": ("error", "Kotrel cannot read how many pieces an amount is for.", "Say what it means, under per in the mapping."),
        "per-uneven": ("error", "An amount for several pieces is not exact for one in the field's decimals.", "Let the mapping round it."),
        "replaced": ("warning", "The row names another item that replaces its own.", "Check that its price is still meant."),
        "unread-limit": ("error", "A column that limits or scales the rows, or has their new values or a second count, is not read.", "Say with kotrel map which field it feeds, or skip it there."),
        "laid-out-wide": ("warning", "Columns of a sheet of items, one for each price list or warehouse, are left out: they are rows of another record.", "Make a mapping for that record with kotrel map, and load the sheet with each."),
        "no-heading": ("warning", "Columns without a heading are left out.", "Give them a heading."),
        "no-place": ("warning", "The layout has no column for fields that are filled.", "Add them to the layout, or leave them out of the sheet."),
        "ragged-line": ("error", "A line has too many or too few columns.", "Look for a missing quote or a line break in that line."),
        "open-quote": ("error", "A value includes lines that look like rows: a quote was not closed.", "Close the quote, or remove it."),
        "no-rows": ("error", "The sheet has no rows.", "Check that it is the right sheet."),
        "notes": ("note", "Notes below or beside the table are left out.", "Nothing, if they are only notes."),
        "damaged-note": ("warning", "Kotrel's own note in the workbook cannot be read.", "Name the export with --since."),
    },
    "Cells that a spreadsheet changed": {
        "error-value": ("error", "The cell shows a spreadsheet error such as #N/A.", "Correct the formula in that cell.", "no value"),
        "not-calculated": ("error", "No program has calculated the formula yet.", "Open the workbook in a spreadsheet program and save it.", "no value"),
        "digits-lost": ("error", "A long number lost digits: it is in exponent form or has more than 15 digits.", "Get it from its source again, into a column formatted as text.", "cell"),
        "zeros-lost": ("error", "A number where the other codes begin with zeros.", "Type the code with its zeros, as text; or name it with --new-codes."),
        "became-date": ("error or warning", "A code became a date.", "Format the column as text and type the code again.", "cell"),
        "became-yes-no": ("error or warning", "A code became TRUE or FALSE.", "Format the column as text and type the code again.", "cell"),
        "letters-lost": ("error", "Letters were lost in a wrong encoding.", "Save the file as UTF-8 from its source."),
        "ditto": ("error", "The cell only repeats the one above it.", "Write it out."),
        "no-value-word": ("error", "A word for “no value”, such as NULL, is used as a code.", "Leave the cell blank."),
        "written-otherwise": ("warning", "The text is in a program's own notation, such as &amp;.", "Write the characters themselves."),
        "strange-letters": ("error", "The value has characters that cannot be printed.", "Type it again."),
        "other-alphabet": ("warning", "Codes in another alphabet, of which some look like Latin ones.", "Check that this is what you mean."),
        "signs-in-words": ("warning", "There are signs among the letters of a word: the file was read in another encoding than it was written in.", "Name its encoding with --encoding, or type the words again."),
        "turned-date": ("error", "The spreadsheet may have exchanged day and month.", "Write the date as text: 2026-03-31.", "cell"),
        "date-as-number": ("error", "The cell has a day number, not a date.", "Format the column as a date."),
    },
    "Numbers, money and dates": {
        "not-a-number": ("error", "The text is not a number.", "Write a number, such as 18.40."),
        "ambiguous-number": ("error", "The number can be read in two ways.", "If all files use one decimal mark, say which with --decimal."),
        "mixed-marks": ("error", "The decimal mark differs from the rest of the column.", "Write it with the same mark."),
        "per-cent": ("error", "A percentage instead of an amount.", "Write the amount, such as 18.40."),
        "sign-not-meant": ("error", "An amount of money where the field accepts a plain number.", "Write the number alone."),
        "other-currency": ("error", "The amount is in another currency.", "Convert it, or use a price list in that currency.", "sheet"),
        "too-many-decimals": ("error", "The number has more decimals than the field accepts.", "Round it, or ask for rounding in the mapping."),
        "not-for-existing": ("note", "A value is calculated for new rows only.", "Set for = \"all\" in the mapping if existing rows are meant, too."),
        "made-rounded": ("note", "Calculated values were rounded to the field's decimals.", "Nothing."),
        "too-small": ("error", "The number is below what the field accepts.", "Correct it."),
        "too-big": ("error", "The number is above what the field accepts.", "Correct it."),
        "too-large": ("error", "The number has more digits than can be stored.", "Correct it."),
        "zero": ("warning", "A cost or a price of zero.", "Check that it is meant: a price of zero may mean “ask”."),
        "not-a-date": ("error", "The text is not a date.", "Write it as 2026-03-31."),
        "impossible-date": ("error", "There is no such date.", "Write it as 2026-03-31."),
        "ambiguous-date": ("error", "The day or the month may come first.", "If all files agree, say which with --dates.", "cell"),
        "which-year": ("error", "Three pairs of digits, of which the first or the last may be the year.", "Write the year with four digits."),
        "mixed-dates": ("error", "Day and month are in another order than in the rest of the column.", "Write it as 2026-03-31.", "cell"),
        "not-a-moment": ("error", "The text is not a date with a time.", "Write it as 2026-03-31 14:30."),
        "no-zone": ("error", "The time has no zone.", "Write the zone: 2026-03-31 14:30+02:00."),
        "needless-zone": ("error", "The time has a zone that is not kept.", "Write the time at the place, without a zone."),
        "impossible-time": ("error", "A line cannot have been counted at that time: it is to come, or before the freeze.", "Write when it was counted, with its day if that was another."),
        "not-a-time": ("error", "The text is not a time of day.", "Write it as 14:30."),
        "not-yes-or-no": ("error", "The text is neither yes nor no.", "Write yes or no."),
        "wrong-order": ("error", "Two values are in the wrong order, such as an end before its start.", "Correct one of them."),
    },
    "Texts, codes and lists": {
        "missing": ("error", "A value that is required is missing.", "Fill it in."),
        "too-long": ("error", "The text is longer than the field accepts.", "Shorten it."),
        "not-a-choice": ("error", "The value is not one of the field's choices.", "Use one of those that the message lists."),
        "not-on-list": ("error", "The code is not on its list.", "Use a listed code, or let kotrel check --ask ask what it means."),
        "nearly-on-list": ("warning", "A code to be created is almost identical to one on the list.", "Use the listed code, if that is meant."),
        "other-spelling": ("warning", "Two spellings of a new value.", "Use one of them."),
        "no-name": ("error", "A code to be created has no name.", "Give it a name in its own sheet."),
        "cannot-clear": ("error", "This field cannot be emptied.", "Remove (clear)."),
        "check-digit": ("error", "The check digit of a barcode is wrong.", "Check the number against the packaging."),
        "barcode-length": ("error", "A barcode with a wrong number of digits.", "Check the number against the packaging."),
        "barcode-zeros": ("error", "A barcode that may have lost leading zeros.", "Type it with all its digits, as text."),
        "barcode-with-letters": ("error", "A barcode with letters in it.", "A code with letters is an alternative code, not a barcode."),
        "not-exactly-one": ("error", "Exactly one of several fields must be filled.", "Fill one of them."),
        "not-together": ("error", "Only some of the fields that belong together are filled.", "Fill all of them, or none."),
        "must-differ": ("error", "Two values must differ.", "Correct one of them."),
        "must-match": ("error", "A value must be the same as another one.", "Correct it."),
        "not-as-needed": ("error", "The row that is referred to is of the wrong kind.", "Use another, or change that row."),
        "not-its-own": ("error", "The value does not belong to the item.", "Use one of the item's own."),
        "counts-up": ("warning", "The values go up by one from row to row.", "Check them: dragging a cell down continues a series.", "cell"),
        "unlike-others": ("warning", "The value is far from the others.", "Check it."),
        "kept-by-system": ("error", "The system keeps this value itself.", "Leave it as it was exported."),
        "kept-column": ("note", "Columns that the system keeps are not loaded.", "Nothing."),
        "name-only": ("warning", "A name beside a code is not that code's name.", "Change the code if another is meant."),
        "circle": ("error", "The rows lead back to themselves.", "Remove one of the links."),
        "file-missing": ("error", "The folder has no file of this name.", "Put the file there, or correct the name."),
        "file-too-large": ("error", "The file is too large.", "Use a smaller one."),
        "no-picture": ("error", "The file is not a picture.", "Use a picture."),
        "picture-differs": ("error", "The system has another picture of that name.", "Give yours another name."),
        "files-not-looked-at": ("note", "Files were not checked, because their folder is not known.", "Name it with --pictures."),
    },
    "Rows and the system": {
        "twice-in-system": ("error", "The system has several rows with this key or code.", "Correct that in the system first."),
        "twice-in-sheet": ("error", "The same key is on two rows.", "Delete one, or keep one with --duplicates."),
        "twice-in-load": ("error", "The same key is in two files of the load.", "Delete one."),
        "shared-in-sheet": ("error", "A value that must be unique is on two rows.", "Correct one of them."),
        "shared-in-load": ("error", "A value that must be unique is in two files of the load.", "Correct one of them."),
        "differs-in-sheet": ("error or warning", "Rows that should agree say different things.", "Correct one of them. Rows for another document need another document number."),
        "nearly-twice": ("error or warning", "Two new codes in the load that look alike.", "Use one of them, or name both with --new-codes."),
        "taken": ("error", "The value already belongs to another row in the system.", "Correct it, or correct that row first."),
        "nearly-there": ("error or warning", "A new code that is almost identical to an existing one.", "Use that code, or name yours with --new-codes."),
        "known-otherwise": ("error or warning", "A new code by which the system knows an existing one: its alternative code, a barcode, its vendor's code.", "Use its own code, find the rows with --match-on, or name yours with --new-codes."),
        "own-code": ("warning", "Another code of a row is the own code of a different row, which it will be taken for.", "Check whose code it is."),
        "other-codes-taken": ("error or warning", "A new row with the vendor's code, e-mail or other identifying fields of an existing one.", "Use the code of that row, or name yours with --new-codes."),
        "other-codes-twice": ("warning", "New rows of the sheet that have the same vendor's code, e-mail or other identifying fields.", "Check whether they are the same."),
        "repeats": ("error or warning", "A new row whose data duplicates an existing one; where codes are made, a new row with the name of an existing one.", "Check whether it is the same. If it is not: --new-codes."),
        "found-otherwise": ("warning", "The row was found by a code that is written in another way.", "Check that it is the same."),
        "not-found": ("error", "Nothing in the system has this code.", "Correct it, or give the new row its key.", "cell"),
        "not-unique": ("error", "Several rows of the system have this code.", "Use the key of one of them.", "cell"),
        "other-key": ("error", "The key is not the one that belongs to the code that rows are matched on.", "Correct one of them.", "cell"),
        "not-in-export": ("error", "The key was not in the export that the sheet came from, but exists in the system.", "Restore the key, or use --since none.", "cell"),
        "values-of-another": ("error", "The row has the values that another row had in the export.", "Sort whole rows, not one column; restore the key.", "cell"),
        "column-moved": ("error or warning", "The column has the values of other rows.", "Restore the column: sort whole rows, and insert whole rows.", "cell"),
        "another-meaning": ("warning", "The change gives figures elsewhere another meaning.", "Change it only where those figures stay right.", "cell"),
        "still-used": ("warning", "The item is archived, but orders or kits still need it.", "Close the orders and change the kits first.", "cell"),
        "wrong-way-round": ("warning", "The factor may be the wrong way round.", "Check how many base units are in one of the unit.", "cell"),
        "clash": ("error", "Edited here, and changed in the system since the export.", "Decide which counts: --clash sheet or --clash system.", "cell"),
        "gone": ("error", "The row is gone from the system since the export.", "Delete it here, or load it as new with --since none.", "cell"),
        "replaces-more": ("warning", "The load replaces more than is shown.", "Check the value in the system first."),
        "not-there-yet": ("error", "No such row exists, and a new one needs more columns.", "Correct the code, or add the columns."),
        "refused-in-load": ("error", "The row refers to a row of this load that has an error.", "Correct that row first."),
        "not-in-load": ("error", "The answer is about a row that is not in this load.", "Check that it belongs to this load."),
        "row-refused": ("error", "The row is refused together with its document.", "Correct the lines with errors."),
        "refused-by-system": ("error", "The system itself refused the row.", "Read what it says, and correct the row."),
        "system-remark": ("warning", "The system itself made a remark on the row.", "Read it."),
        "option-not-used": ("warning", "An option was given, but the sheet has its own value.", "Leave out one of them."),
        "adds-to-stock": ("warning", "The quantities are added to what is on hand.", "If they are counted quantities, use --as-target or kotrel count."),
    },
    "Prices": {
        "below-cost": ("error or warning", "The price is below cost.", "Check both.", "cell"),
        "margin-too-low": ("error or warning", "The margin is below the guard.", "Check the price, or change the guard.", "cell"),
        "up-too-far": ("error or warning", "The price rises by more than the guard allows.", "Check the price, or change the guard.", "cell"),
        "down-too-far": ("error or warning", "The price falls by more than the guard allows.", "Check the price, or change the guard.", "cell"),
        "above-other-list": ("error or warning", "The price is above that of another list.", "Check both lists.", "cell"),
        "price-moved": ("error", "The old price has changed since the prices were calculated.", "Run kotrel reprice again.", "cell"),
        "price-zero": ("error or warning", "The calculated price is zero.", "Check the rules.", "cell"),
        "finer-than-list": ("warning", "The amount has more decimals than its price list.", "Round it."),
        "overlaps": ("error", "The period runs into the next one.", "End it a day earlier, or start the next one later."),
        "gap": ("warning", "There are days without a price between two periods.", "Check that they are meant."),
        "nothing-follows": ("error", "A price or another row with a period ends and nothing follows, where one was open before.", "Say whether it begins again the day after: --resume or --no-resume."),
        "later-stands": ("error or warning", "A later period is already there, so this price ends before it.", "Check that it is meant."),
        "price-unlike": ("warning", "The price is far from the item's price.", "Check that it is for one of the unit in its row.", "cell"),
        "cost-unlike": ("warning", "The cost is far from the item's cost.", "Check that it is per unit and not per box."),
    },
    "Stock and documents": {
        "no-quantity": ("warning", "Rows without a quantity are left out.", "Fill in the quantity, if they count."),
        "counted-quantities": ("warning", "The sheet of a document that adds to stock looks like a count.", "If the quantities were counted, use --as-target or kotrel count."),
        "one-document": ("error", "One document number is given for a sheet with several warehouses.", "Leave out --number: each warehouse gets a document.", "sheet"),
        "no-lines": ("error", "A document without lines.", "Add lines, or delete it."),
        "lines-posted": ("error or warning", "Another document has posted the same lines: the same sheet, loaded again, counts twice.", "Leave these rows out. If it is more of the same, give the document a number: --number, or a column."),
        "already-posted": ("error", "The document is already posted, with the same content.", "Nothing: it is already posted."),
        "number-used": ("error", "A document of this number was posted and taken back.", "Use another number."),
        "posted-otherwise": ("error", "The document number is already posted, with other content.", "Use another number, or undo that load first."),
        "closed-period": ("error", "The date lies in a closed period.", "Use a later date."),
        "place-twice": ("error or warning", "The same item, warehouse, bin and lot are on two lines.", "Put them into one line."),
        "lots-differ": ("error", "The lots of a line do not add up to its quantity.", "Correct the lots, or the line."),
        "lot-needed": ("error", "The item is lot-tracked, and the line has no lot.", "Fill in the lot."),
        "lot-not-tracked": ("error", "The item is not lot-tracked, and the line has a lot.", "Remove the lot."),
        "serial-needed": ("error", "The item is serial-tracked, and the line has no serial number.", "Fill in the serial numbers."),
        "serial-not-tracked": ("error", "The item is not serial-tracked, and the line has a serial number.", "Remove it."),
        "serial-not-one": ("error or warning", "A serial number is exactly one piece.", "Make the quantity 1."),
        "serial-twice": ("error", "The serial number is there twice.", "Correct one of them."),
        "serial-in-stock": ("error", "The serial number is already in stock.", "Correct it."),
        "expiry-alone": ("error", "An expiry date without a lot.", "Fill in the lot."),
        "expired": ("warning", "The lot has already expired.", "Check the date."),
        "below-zero": ("error", "More goes out than is on hand.", "Correct the quantity, or the place."),
        "nothing-on-hand": ("error", "Nothing is on hand there.", "Correct the place."),
        "not-stocked": ("error", "The item is not stocked.", "Remove the line."),
        "archived": ("error", "The item is archived.", "Use another item, or bring it back first."),
        "unit-decimals": ("error", "The quantity has more decimals than its unit.", "Correct the quantity, or the unit."),
        "converted": ("note", "Quantities were converted to the base unit.", "Nothing."),
        "amount-differs": ("error", "The amount is not quantity times price.", "Correct one of the three."),
        "cost-needed": ("error", "A cost is needed and missing.", "Fill in the cost."),
        "cost-not-used": ("warning", "The cost of what goes out is not used: it leaves at average cost.", "Remove the cost."),
        "quantity-not-loaded": ("warning", "Quantities beside new items are not loaded.", "Load them as opening stock."),
        "above-target": ("error", "More is on hand than the target.", "Check the target."),
        "which-place": ("error", "A target for an item that is in several places.", "Say the place: add a column for it."),
        "not-open": ("warning", "The order has nothing open of this item.", "Check the order number."),
        "more-than-open": ("warning", "More than is open of the order.", "Check the quantity."),
        "unknown-code": ("error", "A scanned code that leads to no item.", "Add it as a barcode, or count the item by its code."),
        "not-countable": ("error", "The quantity cannot be counted.", "Write a quantity of zero or more, with the unit's decimals."),
    },
    "Files for other programs": {
        "needs-quotes": ("error", "A value has the separator or a line break in it, and the layout allows no quotes.", "Change the value."),
        "not-in-encoding": ("error", "A value has letters that the layout's encoding lacks.", "Change the value, or the encoding."),
        "not-plain": ("error", "A value that the receiving program would read differently.", "Change the value."),
        "not-writable": ("error", "A value that the layout does not accept.", "Change the value, or the layout."),
        "cleaned": ("warning", "Texts are changed for the receiving program.", "Check them."),
        "no-outcome": ("error", "The result file has no column for the outcome.", "Name it in the layout."),
        "not-an-outcome": ("error", "The result file has a word that is no outcome.", "Add the word to the layout."),
        "other-reference": ("error", "The answer is about something else.", "Use the answer to this load."),
    },
}  # fmt: skip

KINDS: dict[str, FindingKind] = {
    name: FindingKind(topic, *facts)  # type: ignore[arg-type]
    for topic, kinds in _TOPICS.items()
    for name, facts in kinds.items()
}
"""Kind → what it is."""


def lasting(kind: str) -> Lasting:
    """Who shows an error of that kind; a kind that nobody declared lies in its value."""
    return KINDS[kind].lasting if kind in KINDS else "value"


FOR_SENDER = frozenset(
    name
    for name, kind in KINDS.items()
    if kind.topic in ("Cells that a spreadsheet changed", "Numbers, money and dates")
    or name in (
        "column-missing", "no-key-column", "heading-twice", "labels-of-groups", "heading-says", "per-unreadable", "unread-limit", "no-heading", "ragged-line",
        "open-quote", "no-rows", "struck-through", "partly-struck", "raised-sign", "shown-otherwise", "second-table", "missing", "too-long", "not-a-choice",
        "not-on-list", "no-name", "check-digit", "barcode-length", "barcode-zeros", "barcode-with-letters", "not-exactly-one", "not-together", "must-differ",
        "circle", "twice-in-sheet", "shared-in-sheet", "differs-in-sheet", "overlaps", "gap", "no-lines", "serial-twice", "lots-differ", "amount-differs",
    )
) - {"zero", "made-rounded", "not-for-existing"}  # fmt: skip
"""Kinds that lie in the sheet alone: whoever made it may read them,
and learns nothing of what our system holds or how we price.
"""
