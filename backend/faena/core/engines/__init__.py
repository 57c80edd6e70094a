"""What is one engine's own, each under its name behind a profile; nothing above asks which engine a server has."""
