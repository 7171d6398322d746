"""The window itself: it imports everything, and nothing imports it."""
