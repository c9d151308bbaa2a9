"""Long random walks through loads and undos; not run by ``python -m tests``."""
