"""Wise Glove: animated spline mattes that keep hands and props in front of inserted pictures."""
