"""What devices do: the decisions of a step, and what their entries make of them."""
