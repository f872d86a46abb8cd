"""From the shelf to the buyer and back."""
