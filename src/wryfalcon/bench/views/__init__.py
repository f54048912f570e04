"""The bench and the seven stages of a tag. A view finds, asks leave, calls one action, answers."""
