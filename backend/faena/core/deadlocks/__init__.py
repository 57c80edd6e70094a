"""Deadlocks as a server reports them: who held and wanted what, which are the same, what causes and mends them."""
