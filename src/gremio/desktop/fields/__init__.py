"""Fields to type in, and the pieces that Cards are made of."""
