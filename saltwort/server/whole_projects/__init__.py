"""What is done to projects as a whole: listed, renamed, copied, archived, deleted, kept in one file."""
