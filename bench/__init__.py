"""The benchmarks, with the threads the program has."""

from amber_thicket.blocks import limit_blas_threads

limit_blas_threads()
