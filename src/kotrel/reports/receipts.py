"""What a system said of a load that it only tried, or that it answers later."""

from __future__ import annotations

from kotrel.core.changes.journal import load_name
from kotrel.reports.phrases import count, listed
from kotrel.reports.previews import show_altered, show_loaded_counts
from kotrel.reports.screen import Screen
from kotrel.stages.loading import Loaded


def show_receipt(screen: Screen, loaded: Loaded, names: str, every: bool) -> None:
    """A trial, or a load that was sent: what it is, where its files are, and what to do next.

    Args:
        names: the files and options as the user typed them.
    """
    receipt = loaded.receipt
    assert receipt is not None
    files = [f"  {file}" for file in receipt.files]
    if loaded.status == "tried":
        screen.show("The files for a trial are written:" if files else "The system would take this:")
    else:
        name = load_name(loaded.number) if loaded.number else receipt.reference
        screen.show(f"Sent as {name}; the system has not answered yet:")
    show_loaded_counts(screen, loaded.preview.counts())
    show_altered(screen, receipt.altered, {each.record.name: each.record for each in loaded.preview.changes}, every)
    for file in files:
        screen.show(file)
    for record, codes in loaded.preview.creates().items():
        verb = "Would be created" if loaded.status == "tried" else "Created with it"
        screen.show(f"{verb}: {record} {listed(codes, 12)}")
    for path, number in loaded.rest:
        screen.show(
            f"Not sent: {count(number, 'row')}, written to {path} with the reasons. Fix them there, then load that file."
        )
    for remark in receipt.remarks:
        screen.show(remark)
    if loaded.status == "tried" and files:
        screen.show(f"Nothing was sent. Next: see what the program says of them, then: kotrel load {names}")
    elif loaded.status == "tried":
        screen.show(f"Nothing was kept. Next: kotrel load {names}")
    elif files:
        screen.show(
            f"Next: kotrel outcome {name} --from RESULT    takes in what the program says of each row (--wait looks for it)\n"
            f"      kotrel verify {name}    once the program has given out its lists again"
        )
    else:
        screen.show(f"Next: kotrel outcome {name} --wait")
