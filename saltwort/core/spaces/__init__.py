"""Colour spaces: primaries, adaptation and typed colours."""
