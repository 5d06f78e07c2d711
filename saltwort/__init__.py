"""Saltwort: one colour path, set up once, computed, checked and handed to every application."""

__version__ = "0.1.0"
