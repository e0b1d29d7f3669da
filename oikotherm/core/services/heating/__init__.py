"""The service heating: stations.py is what it is, room.py what it adds to a design."""
