"""The computation: NumPy in, NumPy out. No files, database, web or clock."""
