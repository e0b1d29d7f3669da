"""Heating's own pages."""
