"""The conformed store: recordings at 48 kHz, their energies, stems and mixes that were rendered before."""
