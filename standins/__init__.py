"""Simulated devices and places that speak Zucker's real interfaces, and the demo data they would have left behind."""
