"""Tools: each makes or changes its thing at once from what is chosen. They know the narrow api alone."""
