"""The commands of Sedge."""

import atexit
import functools
import os
import shutil
from collections.abc import Callable
from pathlib import Path
from tempfile import mkdtemp
from typing import Annotated, Any

import typer
from pydantic import ValidationError

from sedge.core.errors import CannotStart, SedgeError
from sedge.settings import Settings

main = typer.Typer(
    add_completion=False, help="Sedge: the working desk of a telephony number administrator."
)
Config = Annotated[Path | None, typer.Option(help="TOML file with settings")]
Workers = Annotated[
    int | None, typer.Option(help="processes that answer: one writes, the others show pages")
]
Data = Annotated[Path | None, typer.Option(help="folder of the databases")]


def _told(command: Callable[..., None]) -> Callable[..., None]:
    """A command whose troubles end it with a sentence, not with a traceback."""

    @functools.wraps(command)
    def run(*args: object, **named: object) -> None:
        try:
            command(*args, **named)
        except (CannotStart, SedgeError) as error:
            typer.echo(str(error), err=True)
            raise typer.Exit(2) from error

    return run


@main.command()
@_told
def demo(
    port: Annotated[int, typer.Option(help="port of the pages")] = 8420,
    fresh: Annotated[bool, typer.Option("--fresh", help="seed the demo data anew")] = False,
    data: Annotated[Path, typer.Option(help="folder of the databases")] = Path("var/demo"),
    workers: Workers = None,
) -> None:
    """Start Sedge with the demo data and the stand-ins."""
    settings = _settings(data=data, port=port, demo=True, sip_domain="sip.example", workers=workers)
    _count_together(settings)
    from sedge.demo.running import run_demo

    run_demo(settings, fresh=fresh)


@main.command()
@_told
def serve(
    config: Config = None,
    data: Data = None,
    port: Annotated[int | None, typer.Option(help="port of the pages")] = None,
    workers: Workers = None,
) -> None:
    """Serve an installation: your own organisations, real services outside."""
    settings = _settings(config=config, data=data, port=port, workers=workers)
    _count_together(settings)  # before all that takes long to load
    from sedge.serving import serve as serve_now

    serve_now(settings)


@main.command()
@_told
def init(
    organisation: Annotated[str, typer.Option(prompt="Organisation", help="its name")],
    country: Annotated[str, typer.Option(prompt="Home country (as GB)", help="two letters")],
    name: Annotated[str, typer.Option(prompt="Your name", help="the first administrator's")],
    email: Annotated[str, typer.Option(prompt="Your mail address", help="to sign in with")],
    config: Config = None,
    data: Data = None,
) -> None:
    """Set up the first organisation and its administrator, whose password is asked for."""
    from sedge.services.access import first_run
    from sedge.serving import opened

    password = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    with opened(_settings(config=config, data=data, runner=False)) as installation:
        first = first_run.First(organisation, country, name, email, password, password)
        member = first_run.set_up(installation, first)
        typer.echo(
            f"{installation.organisations[member.organisation].name} is set up. Start sedge serve"
            f" and sign in as {member.email}; the second factor is set up then."
        )


@main.command()
@_told
def check(config: Config = None, data: Data = None) -> None:
    """Say what is wrong with the surroundings: files, disk, clock, port, certificate, mail, DNS,
    services."""
    from sedge.services.operating import surroundings

    found = surroundings.check_surroundings(_settings(config=config, data=data))
    for line in found:
        typer.echo(f"{line.verdict.value:>5}  {line.what}: {line.says}")
    raise typer.Exit(1 if any(line.is_stop for line in found) else 0)


@main.command()
@_told
def verify(
    data: Annotated[Path, typer.Option(help="folder of the databases")] = Path("var/demo"),
    heads: Annotated[
        Path | None, typer.Option(help="compare with the heads written into this file before")
    ] = None,
    write_heads: Annotated[
        Path | None, typer.Option(help="write the newest entry of each chain into this file")
    ] = None,
) -> None:
    """Verify the ledger's chain of every organisation; a cut tail shows against heads kept
    elsewhere."""
    from sedge.services.operating import ledger_heads

    lines, broken = ledger_heads.verify(data, heads, write_heads)
    for line in lines:
        typer.echo(line)
    raise typer.Exit(1 if broken else 0)


@main.command()
@_told
def backup(
    to: Annotated[Path, typer.Option(help="folder of the backups")],
    config: Config = None,
    data: Data = None,
    passphrase_file: Annotated[
        Path | None, typer.Option(help="file with the passphrase that seals it")
    ] = None,
    keep: Annotated[int, typer.Option(help="how many backups are kept")] = 14,
) -> None:
    """Copy everything, while Sedge serves; the copy is opened and looked through before it
    counts."""
    from sedge.services.operating import backups

    made = backups.make(_settings(config=config, data=data).data, to, passphrase_file, keep)
    typer.echo(f"{made.file}: {made.size:,} bytes, {made.files} files, verified.")


@main.command()
@_told
def restore(
    file: Annotated[Path, typer.Argument(help="the backup")],
    data: Annotated[Path, typer.Option(help="an empty folder for what comes back")],
    passphrase_file: Annotated[
        Path | None, typer.Option(help="file with the passphrase that sealed it")
    ] = None,
) -> None:
    """Put a backup into an empty folder, and look it through."""
    from sedge.services.operating import backups

    done = backups.restore(file, data, passphrase_file)
    typer.echo(f"{data}: {done} files restored. Start with: sedge serve --data {data}")


@main.command()
@_told
def export(
    to: Annotated[Path, typer.Option(help="the ZIP file to write")],
    organisation: Annotated[str, typer.Option(help="id or name of the organisation")],
    config: Config = None,
    data: Data = None,
) -> None:
    """Write an organisation whole into open formats, readable without Sedge."""
    from sedge.services.operating import exports

    found = exports.export(_settings(config=config, data=data).data, organisation, to)
    typer.echo(f"{to}: {found} files.")


@main.command("carrier-check")
@_told
def carrier_check(
    url: Annotated[str, typer.Argument(help="where the carrier's interface is")],
    key_file: Annotated[Path, typer.Option(help="file with the key of an account there")],
    country: Annotated[str, typer.Option(help="where numbers are looked for")] = "GB",
    buy: Annotated[
        bool, typer.Option("--buy", help="hold, order and cancel one number as well")
    ] = False,
) -> None:
    """Try whether a server speaks the carrier interface as Sedge needs it."""
    from sedge.services.operating import carrier_check as trial

    if not key_file.is_file():
        raise CannotStart(f"There is no file {key_file}.")
    found = trial.check(url, key_file.read_text().strip(), country.upper(), buy=buy)
    for line in found:
        typer.echo(f"{line.verdict.value:>5}  {line.what}: {line.says}")
    raise typer.Exit(1 if any(line.is_stop for line in found) else 0)


@main.command("take-in")
@_told
def take_in(
    file: Annotated[Path, typer.Argument(help="the ZIP file of an export")],
    config: Config = None,
    data: Data = None,
) -> None:
    """Take in an organisation that another installation exported. Sedge must be stopped."""
    from sedge.services.operating import exports
    from sedge.serving import opened

    with opened(_settings(config=config, data=data, runner=False)) as installation:
        organisation, fresh = exports.take_in(installation, file)
        typer.echo(f"{organisation.name} is taken in as {organisation.id}.")
        for email in fresh:
            typer.echo(f"{email} is new here: sedge password {email}")


@main.command()
@_told
def password(
    email: Annotated[str, typer.Argument(help="mail address of whose it is")],
    config: Config = None,
    data: Data = None,
) -> None:
    """Set somebody's password, where no mail can. Sedge must be stopped."""
    from sedge.services.access import passwords
    from sedge.serving import opened

    fresh = typer.prompt("New password", hide_input=True, confirmation_prompt=True)
    with opened(_settings(config=config, data=data, runner=False)) as installation:
        passwords.set_by_operator(installation, email, fresh)
        typer.echo(f"The password of {email} is set; their sessions have ended.")


@main.command("second-factor")
@_told
def second_factor(
    email: Annotated[str, typer.Argument(help="mail address of who has lost theirs")],
    config: Config = None,
    data: Data = None,
) -> None:
    """Take somebody's second factor off: they set up another as they sign in next. Sedge must be
    stopped."""
    from sedge.services.access import members
    from sedge.serving import opened

    with opened(_settings(config=config, data=data, runner=False)) as installation:
        members.take_off_by_operator(installation, email)
        typer.echo(f"{email} sets up a second factor anew at the next sign-in.")


def _count_together(settings: Settings) -> None:
    """Figures of all processes lie in a folder they share; the library looks for it when loaded."""
    if settings.workers > 1:
        folder = mkdtemp(prefix="sedge-figures-")
        atexit.register(shutil.rmtree, folder, ignore_errors=True)
        os.environ["PROMETHEUS_MULTIPROC_DIR"] = folder


def _settings(**values: Any) -> Settings:
    """Settings from here, the environment and the file; a bad one ends the program with a
    sentence."""
    try:
        return Settings(**{name: value for name, value in values.items() if value is not None})
    except ValidationError as error:
        for fault in error.errors():
            typer.echo(_fault(fault["type"], fault["loc"], fault["msg"]), err=True)
        raise typer.Exit(2) from error
    except (OSError, ValueError) as error:  # the file itself can't be read
        typer.echo(f"The settings can't be read: {error}", err=True)
        raise typer.Exit(2) from error


def _fault(kind: str, where: tuple[int | str, ...], words: str) -> str:
    name = str(where[0]) if where else ""
    if kind == "extra_forbidden":
        known = ", ".join(sorted(Settings.model_fields))
        return f"There is no setting {name}. There are: {known}."
    return f"SEDGE_{name.upper()}: {words}" if name else words


if __name__ == "__main__":
    main()
