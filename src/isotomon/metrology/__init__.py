"""What has been made, held against what was designed: measured points fitted to a body, and what is told of them."""
