"""Edits that pages post: one file a kind of thing; fields, what an edit does and its label stand together."""
