"""Hand over: closing a job."""
