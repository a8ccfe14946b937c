"""Timings as ratios, run by hand: `./zucker bench NAME`. No test is timed."""
