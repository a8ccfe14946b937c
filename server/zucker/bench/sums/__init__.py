"""The sums of the Bench, by subject. Each takes a Display for its working, and SI values."""
