"""View families, a module each: how light becomes a picture, and the operations that write it into a config. A new one
is found by being here."""
