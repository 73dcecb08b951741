"""The Card: what is known of the selected thing."""
