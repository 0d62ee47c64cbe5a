"""What comes from outside, read in a process with limits: containers, decoders, pictures, labels, storage."""
