"""What may have been done to a picture, a module for each operation. A new one is found by being here."""
