"""A visit to the site: as found, order of entry, working list, read-back."""
