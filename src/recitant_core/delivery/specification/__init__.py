"""Specifications: limits and forms of files, those that ship, and their JSON."""
