"""Closed heating circuits: emitters, friction, sizes, volume, vessel."""
