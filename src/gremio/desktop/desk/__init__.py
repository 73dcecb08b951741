"""The Desk: all controls in one place; below it, the parts."""
