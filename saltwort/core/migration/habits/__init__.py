"""Habits of scenes from before colour management, a module each, found by being there."""
