"""Computation only: no files, no network, no printing, no clock of its own."""
