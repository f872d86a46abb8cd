"""Work of a worker that did not come to its end: it goes on, or it is said."""
