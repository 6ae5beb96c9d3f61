"""What is kept: shots, their journal, clips, intakes and jobs, in PostgreSQL and on disk."""
