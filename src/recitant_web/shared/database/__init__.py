"""Django's backend for MariaDB, which asks less often whether a connection still stands."""
