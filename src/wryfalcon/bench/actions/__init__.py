"""One action for each change of state: check, write, record who did it, in one transaction."""
