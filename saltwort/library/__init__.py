"""What `import saltwort` offers, a module for each subject. It calls core, and the server for what a project has
decided; the headless commands call it."""
