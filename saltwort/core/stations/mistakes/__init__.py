"""What is set wrong in applications, a module for each stage. A new mistake is found by being here."""
