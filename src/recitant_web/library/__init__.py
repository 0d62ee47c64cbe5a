"""The workspace's effects library: short sounds to be found by words, heard and laid."""
