"""Devices as data and as machines: library, codec, what a unit accepts, slots, addresses, cables, wire formats."""
