"""Files in open formats, read and written: sound, films, compressed sound, PDF, and JSON of ours."""
