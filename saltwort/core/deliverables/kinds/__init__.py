"""The kinds of deliverables, a module each. A new one is found by being here."""
