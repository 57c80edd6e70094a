"""Django apps. Each has models, selectors (read) and actions (write); the api reaches models only through these."""
