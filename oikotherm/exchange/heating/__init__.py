"""What heating gives to files and pages."""
