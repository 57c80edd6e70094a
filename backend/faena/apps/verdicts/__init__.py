"""What is followed until it can be told whether it helped: changes, leads and deadlock patterns that were handled."""
