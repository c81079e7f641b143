"""The job itself: no interface, no database, no network."""
