"""The Arrange page: clips against picture."""
