"""Code that is specific to one database engine, a package for each."""
