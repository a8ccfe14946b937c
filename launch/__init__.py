"""What `./zucker` does: set up a machine, start and stop what runs, test. Standard library only."""
