"""Django: stored rows, operations that change them, and thin HTTP views over core."""
