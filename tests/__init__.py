"""The tests; as the program does, they leave the processors to rows and to other tests."""

from amber_thicket.blocks import one_thread_for_algebra

one_thread_for_algebra()
