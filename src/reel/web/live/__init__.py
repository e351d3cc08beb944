"""The recorder as every page sees it: its status, and the live facts in words."""
