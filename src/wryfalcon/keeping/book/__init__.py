"""A machine's book: its offsets, care and particulars."""
