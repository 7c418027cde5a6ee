"""`python -m amberquarry` is the command."""

from amberquarry.cli import main

if __name__ == "__main__":
    main(prog_name="amberquarry")
