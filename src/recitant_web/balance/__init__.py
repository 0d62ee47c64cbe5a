"""The Balance page: staves, giving way, clearance, first balance."""
