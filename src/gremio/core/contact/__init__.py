"""Touching: how near parts are, and how far one goes until it touches."""
