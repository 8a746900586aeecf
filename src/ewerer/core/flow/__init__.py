"""The simulated day and year: one decision a step, one kernel, what goes in and what comes out."""
