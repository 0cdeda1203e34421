"""What a person meets who opens no project yet."""
