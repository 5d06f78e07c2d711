"""The sections of a settings sheet, a module each. A new one is found by being here."""
