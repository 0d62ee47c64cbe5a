"""The arithmetic and the rules of Recitant: numpy, scipy and numba only; no files, clock, log or framework."""
