"""Files: decoding, the conformed store, plans and deliveries on disk."""
