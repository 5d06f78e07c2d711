"""The parts of the setup, a module each. A new one is found by being here."""
