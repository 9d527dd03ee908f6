"""Tarn Hollow, a made-up field station: its rigs, its specimens, and stacks shot on the simulated bench."""
