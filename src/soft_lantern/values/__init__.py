"""What flows on a wire: value kinds, the conversions between them, and colour spaces."""
