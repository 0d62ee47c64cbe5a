"""Balance as a whole: figures of speech, close passages with their cures, and the first balance."""
