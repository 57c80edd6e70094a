"""What changed on servers: found by Faena, told by people, told by pipelines with a token."""
