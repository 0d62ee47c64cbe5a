"""Accounts from the command line."""
