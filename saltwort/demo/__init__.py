"""Lantern Quay: the demo project, made from code."""
