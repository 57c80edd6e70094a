"""Why a circle formed, and what mends it: a rule a file, in the order in which they are asked; the first that fits says so."""
