"""Motion over time: routines, evaluated to inputs and solved for many frames."""
