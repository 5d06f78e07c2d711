"""What texture files hold, and which space each is read in."""
