"""Trials of one promise many times over: `./lantern campaign NAME [--cases N] [--seed S]`.

Each module has `CASES`, how many make a full campaign, and `run(cases, seed)`, which returns a line of figures or
raises AssertionError with the case that broke the promise. `docs/reliability.md` says what each holds.
"""
