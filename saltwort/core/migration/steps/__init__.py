"""The steps of plans, a module each, found by being there."""
