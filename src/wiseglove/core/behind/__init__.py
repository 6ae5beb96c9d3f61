"""What lies behind: the picture without what passes before it, and mattes of what differs from it."""
