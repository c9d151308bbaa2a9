"""A business system behind a service: Kotrel's own protocol over HTTP."""
