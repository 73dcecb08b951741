"""Making things to fit: ratios from geometry, gears that mesh, carriages on wheels."""
