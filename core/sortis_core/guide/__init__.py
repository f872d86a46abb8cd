"""Writing a sheet: the questions that matter first, and the usual things to pick from."""
