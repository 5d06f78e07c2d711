"""Scenes from before their colour setup: read, judged, changed on copies, and proved."""
