"""`python -m pennyweight`"""

from pennyweight.cli.main import run

if __name__ == "__main__":
    run()
