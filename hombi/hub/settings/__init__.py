"""What people set in hombi.toml, and what changes of it while the hub runs."""
