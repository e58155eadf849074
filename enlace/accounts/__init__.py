"""Who people are and what they may do."""
