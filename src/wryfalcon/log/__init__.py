"""The audit log: who did and who saw what. The lowest room; every other writes into it and it knows none of them."""
