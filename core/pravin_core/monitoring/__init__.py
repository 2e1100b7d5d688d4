"""What a feed remembers of its deliveries in a few numbers, the usual limits of each, and what is new in a delivery."""
