"""Where the database is: one place, or several of which one is written."""
