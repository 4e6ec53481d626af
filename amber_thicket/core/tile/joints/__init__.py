"""Joins that follow the joints of a surface made of pieces: none is cut, few are trimmed."""
