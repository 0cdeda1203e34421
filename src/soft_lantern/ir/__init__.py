"""Typed expressions and their readers.

An expression is built once, by ordinary Python over symbolic values, and read many times: `numpy_reader` computes it
over a buffer of points, `glsl` prints it, `interval` bounds it. A reader is a table from operator to rule.
"""
