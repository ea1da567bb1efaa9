"""One panel for each step of the job."""
