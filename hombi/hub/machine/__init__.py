"""The machine that the hub runs on: its files, its time, what is kept."""
