"""Stock: on hand, what to order, balances; the commands and what they show."""
