"""What leaves a shot: presets, the files they make, their pictures, the check of what was written, and the shot's own file."""
