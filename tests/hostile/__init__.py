"""Files and requests that were made to break their readers, from a seed."""
