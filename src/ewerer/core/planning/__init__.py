"""The stages of the plan: one module a stage with its computation and its checks, reading Solved only."""
