"""What the window knows: the session under work, its newest results, and the work behind them."""
