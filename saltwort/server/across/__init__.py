"""What spans the apps of the server, and stands above them: a change of the setup and all that it would do."""
