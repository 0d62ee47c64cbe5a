"""The web application: loads, asks the core, stores."""
