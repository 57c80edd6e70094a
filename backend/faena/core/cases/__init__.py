"""The record of an investigation: what a case is, how it is read from a file, and how it is written for people."""
