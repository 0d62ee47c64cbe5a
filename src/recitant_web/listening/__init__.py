"""What can be heard and measured of a programme: scene, figures, contours, blocks. No tables."""
