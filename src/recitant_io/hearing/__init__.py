"""Speech, words and voices of recordings, by local models."""
