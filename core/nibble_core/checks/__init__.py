"""What can be wrong with a job or its files, and where."""
