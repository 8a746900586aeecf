"""Ewerer: plans and records the commissioning of lithium banks and inverter-chargers."""

__version__ = "0.1.0"
