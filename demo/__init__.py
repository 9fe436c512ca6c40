"""What makes the demo data: the night shift at the Tidewater Clock Museum.

When the doors are locked, the figures of the great clocks come down and do the chores. ``python -m demo.make`` writes
their motion and their bodies into demo/files/ from the descriptions in this package.
"""
