"""What belongs to one engine alone; the rest of the core asks a profile or is told."""
