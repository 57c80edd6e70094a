"""Server logs, as jsonlog, csvlog and stderr write them.

blocks.py cuts bytes at ends of entries → formats.py (with prefix.py) reads entries → assemble.py joins the entries of one
execution and names what went wrong → reading.py runs over whole files, follow.py goes on where it stopped.
"""
