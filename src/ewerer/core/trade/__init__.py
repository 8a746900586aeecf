"""What the trade knows: rules, stages, quantities, chemistries, margins, steps."""
