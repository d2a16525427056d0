"""The commands of Sedge."""

from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import ValidationError

from sedge.settings import Settings

main = typer.Typer(
    add_completion=False, help="Sedge: the working desk of a telephony number administrator."
)


@main.command()
def demo(
    port: Annotated[int, typer.Option(help="port of the pages")] = 8420,
    fresh: Annotated[bool, typer.Option("--fresh", help="seed the demo data anew")] = False,
    data: Annotated[Path, typer.Option(help="folder of the databases")] = Path("var/demo"),
) -> None:
    """Start Sedge with the demo data and the stand-ins."""
    from sedge.demo.running import NotOurs, clear, run_demo

    try:
        if fresh:
            clear(data)
        run_demo(_settings(data=data, port=port, demo=True, sip_domain="sip.example"))
    except NotOurs as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from error


@main.command()
def verify(
    data: Annotated[Path, typer.Option(help="folder of the databases")] = Path("var/demo"),
) -> None:
    """Verify the ledger's chain of every organisation."""
    from sedge.app import open_house
    from sedge.services.context import system_member
    from sedge.services.ledger import ledger

    house = open_house(_settings(data=data, runner=False), "http://127.0.0.1:9")
    broken = False
    for organisation in house.organisations.values():
        count, at = ledger.verify(house.desk(system_member(organisation.id)))
        broken = broken or at is not None
        typer.echo(
            f"{organisation.name}: {count} entries,"
            f" {'all hold' if at is None else f'the chain breaks at {at}'}"
        )
    house.close()
    raise typer.Exit(1 if broken else 0)


def _settings(**values: Any) -> Settings:
    """Settings from here and the environment; a bad one ends the program with a sentence."""
    try:
        return Settings(**values)
    except ValidationError as error:
        for fault in error.errors():
            name = f"SEDGE_{str(fault['loc'][0]).upper()}: " if fault["loc"] else ""
            typer.echo(f"{name}{fault['msg']}", err=True)
        raise typer.Exit(2) from error


if __name__ == "__main__":
    main()
