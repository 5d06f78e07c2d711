"""Computation only: numpy arrays and dataclasses in and out. Knows no Django, no HTTP and no stored rows."""
