"""Open formats: one module a format, read and write."""
