"""Pictures in and out: understanding files, exact decoding, display copies, encoding."""
