"""Commands about accounts."""
