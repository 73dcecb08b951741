"""How each make of control looks, and is pulled."""
