"""Colours and renders of a scene."""
