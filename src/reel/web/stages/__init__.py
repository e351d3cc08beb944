"""The stages of a rig: their pages, and what is changed on them."""
