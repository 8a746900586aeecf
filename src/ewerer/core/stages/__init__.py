"""The stages of the work: a folder each, with its rules, its solution and its checks."""
