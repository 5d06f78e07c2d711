"""One module per family of checks. Each is found by itself; nothing needs to name it."""
