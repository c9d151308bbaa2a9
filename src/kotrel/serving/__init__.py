"""The practice system as a service: Kotrel's protocol over HTTP, for trying, for tests, and to be copied."""
