"""Set-up and running of the application; standard library only, so that a fresh machine can."""
