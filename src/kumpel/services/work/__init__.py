"""What is done while nobody asks: jobs, the lookout, who leads."""
