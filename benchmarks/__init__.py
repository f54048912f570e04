"""Goals of speed and memory, each a ratio measured in one run; never a timed test."""
