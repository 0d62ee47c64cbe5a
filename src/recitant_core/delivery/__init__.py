"""Specifications, verdicts and the fit that reaches them."""
