"""`python -m reel`: what the reel script hands over to."""

from reel.launch.cli import main

main()
