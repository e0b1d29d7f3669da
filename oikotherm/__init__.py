"""Oikotherm: measuring, arithmetic, ordering and record keeping for people who fit pipework."""

__version__ = "0.1.0"
