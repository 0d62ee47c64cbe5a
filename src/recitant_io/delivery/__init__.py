"""What is handed over: planned, rendered, encoded, checked and put together."""
