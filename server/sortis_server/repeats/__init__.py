"""What is sent twice is done once, and a deadlock is tried again before anybody sees it."""
