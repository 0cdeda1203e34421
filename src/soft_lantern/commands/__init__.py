"""What the headless commands do, one module a job. `cli.py` says what they take and how they end."""
