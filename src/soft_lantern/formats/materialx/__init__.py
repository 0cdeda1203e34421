"""MaterialX 1.39: materials written as documents of standard nodes, and read from them."""
