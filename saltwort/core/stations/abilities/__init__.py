"""What stations can do, a module each. A new one is found by being here."""
