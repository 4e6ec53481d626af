"""The benchmarks, with the threads the program has."""

from amber_thicket.blocks import one_thread_for_algebra

one_thread_for_algebra()
