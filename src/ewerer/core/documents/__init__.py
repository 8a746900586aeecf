"""The documents that go in at one door and come out of the other. Each module is imported by itself: models take time to make."""
