"""Commands on plates and moves: a plate worked out, standing room, the paint list."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click

from roofline.cli_parts import Bad, area_of, engine_of, engines_of, put, range_of
from roofline.core.move.along import along
from roofline.core.move.paint_list import paint_list
from roofline.core.move.path import moments
from roofline.core.move.standing import over, several
from roofline.formats.masks import MARGIN_PX, write_regions
from roofline.formats.package import open_package, write_package
from roofline.formats.plate_files import write_plate
from roofline.work.ways import ways_out

MOST_PLACES = 250_000


@click.command("plate")
@click.argument("package", type=click.Path(path_type=Path))
@click.argument("plate")
@click.option("--out", type=click.Path(path_type=Path, dir_okay=False), required=True, help="FILE.png, .tiff or .exr")
@click.option("--matte", is_flag=True, help="The matte alone, 16 bit grey.")
def plate_command(package: Path, plate: str, out: Path, matte: bool) -> None:
    """A plate worked out from its steps."""
    opened = open_package(package)
    found = next((p for p in opened.shot.plates if p.id == plate), None)
    if found is None:
        raise Bad(f"There is no plate '{plate}' in the package.")
    write_plate(engines_of(opened).worked(opened.shot, found), out, matte)
    click.echo(str(out))


@click.command("standing")
@click.argument("package", type=click.Path(path_type=Path))
@click.option("--frame", type=int, required=True, help="Whose direction and focal length are kept.")
@click.option("--height", type=click.FloatRange(-1e5, 1e5), required=True, help="Of the lens, metres.")
@click.option("--area", "area", required=True, help="X0,Z0,X1,Z1 in metres.")
@click.option("--step", type=click.FloatRange(1e-3, 1e5), required=True, help="Metres from place to place.")
@click.option("--width", type=click.IntRange(16, 8192), default=320, help="Width at which frames are judged.")
@click.option("--whole", is_flag=True, help="From where all directions of the move would hold, not this frame's alone.")
@click.option("--json", "as_json", is_flag=True, help="Print the full answer as JSON.")
def standing_command(
    package: Path, frame: int, height: float, area: str, step: float, width: int, whole: bool, as_json: bool
) -> None:
    """From where a frame would hold, and by how much; exit code 1 when from nowhere."""
    opened = open_package(package)
    shot, bounds = opened.shot, area_of(area)
    if (bounds[2] - bounds[0] + step) * (bounds[3] - bounds[1] + step) / step**2 > MOST_PLACES:
        raise Bad(f"That is more than {MOST_PLACES} places: take a longer step or a smaller area.")
    across = min(width, shot.delivery.width)
    moment = several(moments(shot, width=across)) if whole else moments(shot, frame, frame, across)
    room = over(engine_of(opened), moment, shot.limits, bounds, step, height)
    if as_json:
        put(
            {
                "frame": frame,
                "height_m": height,
                "positions": room.positions.tolist(),
                "holds": room.holds.tolist(),
                "margin": room.margin.tolist(),
            }
        )
    else:
        click.echo(f"{int(room.holds.sum())} of {len(room.holds)} places hold")
    sys.exit(0 if room.holds.any() else 1)


@click.command("bring-back")
@click.argument("package", type=click.Path(path_type=Path))
@click.option("--out", type=click.Path(path_type=Path), default=None, help="A folder for a package of each way.")
@click.option("--json", "as_json", is_flag=True, help="Print the full answer as JSON.")
def bring_back_command(package: Path, out: Path | None, as_json: bool) -> None:
    """The largest part of a move that holds, and the other ways out; exit code 1 when the move does not hold."""
    opened = open_package(package)
    found = ways_out(engines_of(opened), opened.shot)
    told = []
    for way in found.ways:
        file = None
        if out is not None and way.shot is not None and way.holds:
            out.mkdir(parents=True, exist_ok=True)
            write_package(way.shot, opened.read, out / f"{way.kind}.zip")
            file = f"{way.kind}.zip"
        told.append({"kind": way.kind, "cost": way.cost, "holds": way.holds, "package": file, "why": way.why})
    if as_json:
        put({"fraction": found.fraction, "limited_by": found.limited_by, "ways": told})
    else:
        click.echo(f"{100 * found.fraction:.1f} % of the way holds")
        for entry in told:
            click.echo(f"  {entry['kind']}: {'holds' if entry['holds'] else entry['why']} {json.dumps(entry['cost'])}")
    sys.exit(0 if found.fraction >= 1 else 1)


@click.command("along")
@click.argument("package", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print the full answer as JSON.")
def along_command(package: Path, as_json: bool) -> None:
    """What a move shows that no verdict says: speeds, room beyond the frame, stray, borders of cut-outs."""
    opened = open_package(package)
    shot = opened.shot
    seen = along(shot, engine_of(opened), moments(shot))
    if as_json:
        put(seen.model_dump(mode="json"))
        return
    runs = [(f.near_px, f.frame) for f in seen.frames if f.near_px is not None]
    if runs:
        click.echo(f"nearest: {max(runs)[0]:.1f} px a frame on frame {max(runs)[1]}, rushed above {seen.rushed_px:.0f}")
    for side in ("left", "right", "top", "bottom"):
        room = [(v, f.frame) for f in seen.frames if (v := getattr(f, f"{side}_px")) is not None]
        click.echo(f"{side}: {min(room)[0]:.0f} px on frame {min(room)[1]}" if room else f"{side}: more than was seen")
    for s in seen.strays:
        click.echo(f"{s.solid}: 10 cm slip {s.slip_px:.1f} px on frame {s.frame}")
    for e in seen.edges:
        click.echo(f"{e.plate}: its border slips {e.slip_px:.1f} px, soft by {e.feather_px:.1f}, on frame {e.frame}")


@click.command("paint-list")
@click.argument("package", type=click.Path(path_type=Path))
@click.option("--frames", "frames", help="A range such as 1-120.")
@click.option("--out", type=click.Path(path_type=Path), required=True, help="A folder for the masks.")
@click.option("--width", type=click.IntRange(16, 8192), default=960, help="Width at which frames are judged.")
@click.option("--json", "as_json", is_flag=True, help="Print the list as JSON.")
def paint_list_command(package: Path, frames: str | None, out: Path, width: int, as_json: bool) -> None:
    """What a move shows and no plate covers, as masks in photo pixels; exit code 1 when there is anything."""
    opened = open_package(package)
    first, last = range_of(frames)
    seen = moments(opened.shot, first, last, min(width, opened.shot.delivery.width))
    regions = paint_list(opened.shot, engine_of(opened), seen, opened.shot.limits)
    told = write_regions(regions, out)
    if as_json:
        put({"regions": told, "margin_px": MARGIN_PX})
    else:
        for r in told:
            where = f"plate {r['plate']}" if r["plate"] else "squared up"
            frames_said = f"frames {r['frames'][0]} to {r['frames'][1]}"
            click.echo(
                f"{r['surface']}: {r['pixels']} px, {where}, {frames_said}, {r['largest_percent']:.2f} % at most"
            )
        click.echo(f"{len(told)} regions")
    sys.exit(1 if told else 0)
