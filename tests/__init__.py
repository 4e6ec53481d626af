"""The tests; as the program does, they leave the processors to rows and to other tests."""

from amber_thicket.blocks import limit_blas_threads

limit_blas_threads()
