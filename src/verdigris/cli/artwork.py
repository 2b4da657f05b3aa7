"""artwork: the shelf of a project in the running application."""

import uuid
from pathlib import Path
from typing import Annotated, Any

import typer
from sqlalchemy.orm import Session

from verdigris.cli.terminal import console, print_json

artwork = typer.Typer(help="Artwork on a project's shelf: slots, each with its versions.", no_args_is_help=True)

PROJECT = typer.Option(help="Project by name; not needed where there is one only.")


def _project(s: Session, name: str | None, make: bool = False) -> uuid.UUID:
    from verdigris.store.errors import StoreError
    from verdigris.store.shots import create_project, list_projects

    known = list_projects(s)
    found = [p for p in known if name is None or p.name == name]
    if len(found) == 1:
        return found[0].id
    if not found and make:
        return create_project(s, name or "Artwork").id
    if not found:
        raise StoreError("not_found", f"There is no project {name}." if name else "There is no project yet.")
    raise StoreError("not_found", f"Say which project: --project, one of {', '.join(p.name for p in known)}.")


@artwork.command()
def add(
    file: Annotated[Path, typer.Argument(help="A picture, a film, a folder of stills, or artwork as JSON.")],
    slot: Annotated[str, typer.Option(help="Slot by key or name; made when it is not there.")],
    project: Annotated[str | None, PROJECT] = None,
    revision: Annotated[str, typer.Option(help="Revision, as the people who made it count.")] = "",
    language: Annotated[str, typer.Option(help="Its language.")] = "",
    note: Annotated[str, typer.Option(help="What is new.")] = "",
    json: Annotated[bool, typer.Option("--json", help="Print facts as JSON on standard output.")] = False,
) -> None:
    """Put artwork on the shelf: a new slot, or a new version of one, which all shots that show it have from then on."""
    from verdigris.jobs.intake import take_in_artwork
    from verdigris.settings import Settings
    from verdigris.store.database import session
    from verdigris.store.media_folder import MediaFolder
    from verdigris.store.shelf import Told, add_version, create_slot, find_slot, users_of

    settings = Settings()
    with session(settings.database_url) as s:
        owner = _project(s, project, make=True)
        made = take_in_artwork(s, MediaFolder(settings.media_dir), file)
        known = find_slot(s, owner, slot)
        told = Told(revision, language, note)
        row = create_slot(s, owner, slot, made, told) if known is None else known
        number = 1 if known is None else add_version(s, owner, known.key, made, told).number
        shots = [d.name for d, _ in users_of(s, row)]
        key, name = row.key, row.name
    if json:
        print_json({"slot": key, "name": name, "version": number, "shots": shots})
        return
    shown = f"; shown by {', '.join(shots)}" if shots else ""
    console.print(f"{name} ({key}), version {number}{shown}")


@artwork.command("list")
def list_(
    project: Annotated[str | None, PROJECT] = None,
    json: Annotated[bool, typer.Option("--json", help="List as JSON.")] = False,
) -> None:
    """List slots, their versions, and which shots show them."""
    from verdigris.settings import Settings
    from verdigris.store.database import session
    from verdigris.store.shelf import users_of
    from verdigris.store.slots import list_slots, list_versions

    with session(Settings().database_url) as s:
        found: list[dict[str, Any]] = [
            {
                "slot": slot.key, "name": slot.name, "current": slot.current,
                "versions": [
                    {"version": v.number, "revision": v.revision, "language": v.language, "note": v.note, "created": v.created.isoformat()}
                    for v in list_versions(s, slot)
                ],
                "shots": [{"shot": d.name, "versions": sorted({p.version for p in parts if p.version})} for d, parts in users_of(s, slot)],
            }
            for slot in list_slots(s, _project(s, project))
        ]  # fmt: skip
    if json:
        print_json(found)
        return
    for one in found:
        used = ", ".join(x["shot"] for x in one["shots"]) or "no shot"
        typer.echo(f"{one['slot']}  {one['name']}, version {one['current']} of {len(one['versions'])}, shown by {used}")


@artwork.command()
def use(
    slot: Annotated[str, typer.Argument(help="Slot by key or name.")],
    shot: Annotated[
        str | None, typer.Option(help="Shot by id or name; without it, the version becomes the current one everywhere.")
    ] = None,
    placement: Annotated[str | None, typer.Option(help="Placement whose artwork it takes the place of.")] = None,
    surface: Annotated[str | None, typer.Option(help="Surface to place it on.")] = None,
    version: Annotated[int | None, typer.Option(min=1, help="Version; in a shot, it stays with it.")] = None,
    project: Annotated[str | None, PROJECT] = None,
) -> None:
    """Place a slot in a shot, or make one of its versions the current one."""
    from verdigris.settings import Settings
    from verdigris.store.database import session
    from verdigris.store.errors import StoreError
    from verdigris.store.shelf import find_shot, find_slot, make_current, place_slot

    with session(Settings().database_url) as s:
        owner = _project(s, project)
        row = find_slot(s, owner, slot)
        if row is None:
            raise StoreError("not_found", f"There is no slot {slot} in this project; ./verdigris artwork list shows them.")
        if shot is None:
            if version is None or placement is not None or surface is not None:
                raise typer.BadParameter("Say which shot with --shot, or which version is to be the current one with --version.")
            make_current(s, row, version)
            told = f"{row.name}: version {version} is the current one"
        else:
            if (placement is None) == (surface is None):
                raise typer.BadParameter("Say either --placement or --surface.")
            number = place_slot(s, find_shot(s, owner, shot), row, placement, surface, version)
            told = f"{row.name}, version {number}, in {shot}"
    console.print(told)
