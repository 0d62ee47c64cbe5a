"""The list of programmes and what keeps a workspace tidy: names, copies, the archive, what is deleted, and room."""
