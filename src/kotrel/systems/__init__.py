"""Access to business systems; :mod:`kotrel.systems.interface` says what Kotrel needs from any of them."""
