"""SQL as text: cut into tokens as the server cuts it, freed of literals, and the names in it. Linear in its length."""
