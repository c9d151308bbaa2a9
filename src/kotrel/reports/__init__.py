"""What people look at: terminal tables and JSON."""
