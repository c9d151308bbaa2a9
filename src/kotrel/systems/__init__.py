"""Ways into business systems; :mod:`kotrel.systems.interface` says what Kotrel asks of any of them."""
