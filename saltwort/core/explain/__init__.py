"""What was done to a picture: the shortest chain of operations that makes it of the light it should show."""
