"""Curves, similarities and homographies of the image plane."""
