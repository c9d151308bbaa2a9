"""Upload layouts: what another program insists on in the files that it reads."""
