"""Rows to values of the core and back: the only room of this app that knows both."""
