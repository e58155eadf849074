"""Side by side with the hand-written equivalent, in one run: `make bench`."""
