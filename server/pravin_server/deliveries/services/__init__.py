"""Every write to deliveries."""
