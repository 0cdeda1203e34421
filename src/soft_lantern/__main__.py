"""python -m soft_lantern: the command line."""

from soft_lantern.cli import main

main()
