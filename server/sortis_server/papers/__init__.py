"""Papers of released units and of batches, and the page that a buyer may open."""
