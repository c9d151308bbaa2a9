"""Documents: headers with lines and lots, posted once to the ledger and taken back by a reversing document."""
