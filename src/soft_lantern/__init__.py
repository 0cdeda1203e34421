"""Soft Lantern: build shader graphs, see every value, hand designers material instances to tune."""

__version__ = "0.1.0"
