"""The pages of the workshop: yard, day, shelf, people, orders, training."""
