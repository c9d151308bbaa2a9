"""Stock: what the ledger's sums say about quantities and values."""
