"""What `./reel bench` runs: ratios within one run, since machines differ and are noisy."""
