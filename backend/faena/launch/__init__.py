"""Set-up, clusters and processes behind the one command. Standard library only: it runs before anything is installed."""
