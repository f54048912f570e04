"""The list of the bench, taking in, changing and declining a job, and what came back."""
