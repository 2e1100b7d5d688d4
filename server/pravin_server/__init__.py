"""The server: keeps, guards, schedules and publishes what the core computes."""
