"""Quillfin Marine Station: the demo campus, put right in `quillfin/`, and the faults that make it as found."""
