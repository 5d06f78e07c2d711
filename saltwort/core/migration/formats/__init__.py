"""Formats of scene documents, a module each: how one is read, changed in place, and validated."""
