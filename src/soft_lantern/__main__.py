"""python -m soft_lantern: the command line."""

from soft_lantern.cli import main

if __name__ == "__main__":  # processes that draw for this one read the file as well
    main()
