"""What the findings of one side of a unit amount to, before any gate is held against them."""
