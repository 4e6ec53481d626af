"""The capture bench: a simulation of a camera and lamps over made-up surfaces whose true maps are known."""
