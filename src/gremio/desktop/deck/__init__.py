"""The lower deck: pages on the foot of the window."""
