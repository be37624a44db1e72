"""The command line: the same core without a browser. See docs/formats.md for the files."""

from __future__ import annotations

import sys
from pathlib import Path

import click
import cv2
import numpy as np
from pydantic import ValidationError

from roofline.cli_move import along_command, bring_back_command, paint_list_command, plate_command, standing_command
from roofline.cli_parts import Bad, Group, engine_of, engines_of, pixel_of, put, range_of, size_of
from roofline.core.move.frame import proofed
from roofline.core.move.path import moment_at, moments, shot_path
from roofline.core.survey.detect import find
from roofline.core.survey.joint import Member, solve_together
from roofline.core.survey.solve import solve
from roofline.core.throw.check import check
from roofline.core.throw.engine import limits_of
from roofline.errors import FolderHeld, PackageError, RoofLineError
from roofline.formats import pictures, scenes
from roofline.formats.face_pictures import Depth
from roofline.formats.package import open_package, sentence, strict_json, write_package
from roofline.model.survey import SurveyInput
from roofline.work import render as render_
from roofline.work.again import layered_file
from roofline.work.begin import How, Spread, begin, begun_survey
from roofline.work.scene import Textures, gather


@click.group(cls=Group, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="roofline")
def main() -> None:
    """Roof Line: match a camera to a photograph, throw the picture on geometry, and know how far the camera may go."""


@main.command()
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--one-lens", is_flag=True, help="The files are of one lens: solve them together.")
@click.option("--json", "as_json", is_flag=True, help="Print the full result as JSON.")
def survey(files: tuple[Path, ...], one_lens: bool, as_json: bool) -> None:
    """Edges in, camera out."""
    results = []
    members: list[Member] = []
    for file in files:
        try:
            given = SurveyInput.model_validate(strict_json(file.read_bytes(), file.name))
            if one_lens:
                members.append(Member(str(len(members)), file.name, given, lens="one"))
            else:
                results.append(solve(given))
        except ValidationError as error:
            raise Bad(f"{file.name}: {sentence(error)}") from None
        except RoofLineError as error:
            raise Bad(f"{file.name}: {error}") from None
    if members:
        together = solve_together(members, [])
        results = [together.results[m.id] for m in members]
    if as_json:
        put(results[0] if len(results) == 1 else list(results))
        return
    for file, result in zip(files, results, strict=True):
        sigma = "" if result.sigma.focal_px is None else f" ± {result.sigma.focal_px:.1f}"
        click.echo(
            f"{file.name}: f {result.camera.focal_px:.1f}{sigma} px, {result.rms_px:.2f} px rms, "
            f"rotation ± {result.sigma.rotation_deg:.3f}°"
        )
        for line in (*result.assumed, *result.warnings):
            click.echo("  " + line)


@main.command("find")
@click.argument("photo", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print the full result as JSON.")
def find_command(photo: Path, as_json: bool) -> None:
    """One press on a photograph: its edges and its camera."""
    data = photo.read_bytes()
    facts = pictures.examine(data, photo.name)
    grey = cv2.cvtColor(pictures.eight_bit(pictures.read(data, photo.name))[..., :3], cv2.COLOR_RGB2GRAY)
    survey = begun_survey(facts.facts, facts.width, facts.height)
    found = find(
        np.asarray(grey),
        SurveyInput.model_validate(survey.model_dump() | {"width": facts.width, "height": facts.height}),
    )
    result = found.result
    if not as_json:
        click.echo(
            f"{photo.name}: f {result.camera.focal_px:.1f} ± {result.sigma.focal_px or 0:.1f} px, "
            f"{len(found.edges)} edges, rotation ± {result.sigma.rotation_deg:.2f}°"
        )
        for line in (*result.assumed, *result.warnings):
            click.echo("  " + line)
        return
    out = result.model_dump(mode="json")
    for told, edge in zip(out["edges"], found.edges, strict=True):
        told |= {"family": edge.family, "points": [list(p) for p in edge.points]}
    out["others"] = [
        {"camera": o.camera.model_dump(mode="json"), "sigma": o.sigma.model_dump(mode="json"), "share": o.share}
        for o in found.others
    ]
    put(out)


@main.command("begin")
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--out", type=click.Path(path_type=Path), required=True, help="The package: a folder, or FILE.zip.")
@click.option("--lens", type=click.FloatRange(4, 2900), help="35 mm equivalent, over the diagonal; taken as known.")
@click.option("--eye", type=click.FloatRange(0.01, 9000), default=1.6, help="Metres from the ground to the eye.")
@click.option("--size", help="Delivered size, such as 1920x1080.")
@click.option("--fps", type=click.FloatRange(0.01, 240), default=24.0)
@click.option("--frames", type=click.IntRange(1, 100_000), default=96)
@click.option("--near", type=click.FloatRange(0.01, 1e5), default=4.0, help="Metres to the nearest layer.")
@click.option("--far", type=click.FloatRange(0.02, 1e6), default=40.0, help="Metres to the farthest layer.")
@click.option("--spread", type=click.Choice(["parallax", "ratio", "steps"]), default="parallax")
def begin_command(
    files: tuple[Path, ...],
    out: Path,
    lens: float | None,
    eye: float,
    size: str | None,
    fps: float,
    frames: int,
    near: float,
    far: float,
    spread: Spread,
) -> None:
    """A shot from pictures: a photograph, or layers (first the nearest), with a first move that holds."""
    if out.exists():
        raise Bad(f"{out} is there already; nothing was overwritten.")
    how = How(lens, eye, size_of(size), fps, frames, near, far, spread)
    begun = begin([(f.name, f.read_bytes()) for f in files], how)
    write_package(begun.shot, begun.place.read, out)
    for note in begun.notes:
        click.echo(note, err=True)
    click.echo(str(out))


@main.command("check")
@click.argument("package", type=click.Path(path_type=Path))
@click.option("--frames", "frames", help="A range such as 1-120.")
@click.option(
    "--width", type=click.IntRange(16, 8192), default=None, help="Width at which frames are judged; the delivered one."
)
@click.option("--json", "as_json", is_flag=True, help="Print the full report as JSON.")
def check_command(package: Path, frames: str | None, width: int | None, as_json: bool) -> None:
    """Say frame by frame whether the picture holds; exit code 1 when it does not."""
    opened = open_package(package)
    shot = opened.shot
    first, last = range_of(frames)
    views = moments(shot, first, last, min(width or shot.delivery.width, shot.delivery.width))
    report = check(engine_of(opened), views, shot.limits)
    if as_json:
        put(report)
    else:
        failing = [f for f in report.frames if not f.holds]
        click.echo(f"{len(report.frames) - len(failing)} of {len(report.frames)} frames hold")
        for f in failing[:10]:
            cause = f.causes[0] if f.causes else None
            why = f": {cause.surface} {cause.verdict} {cause.percent:.2f} %" if cause else ": the edge of the set shows"
            click.echo(f"  frame {f.frame}{why}")
    sys.exit(0 if report.holds else 1)


@main.command()
@click.argument("package", type=click.Path(path_type=Path))
@click.option("--frame", type=int, required=True)
@click.option("--pixel", "pixels", multiple=True, required=True, help="X,Y in delivered pixels; may be given again.")
@click.option("--json", "_json", is_flag=True, help="Always JSON.")
def probe(package: Path, frame: int, pixels: tuple[str, ...], _json: bool) -> None:
    """A pixel's whole story."""
    wanted = [pixel_of(p) for p in pixels]
    opened = open_package(package)
    low, high = opened.shot.frame_range
    if not low <= frame <= high:
        raise Bad(f"The shot has frames {low} to {high}; {frame} is not among them.")
    engine = engine_of(opened)
    moment = moment_at(opened.shot, shot_path(opened.shot), frame)
    limits = limits_of(engine.geometry, opened.shot.limits)
    stories = [engine.probe(moment, p, limits) for p in wanted]
    put(stories[0] if len(stories) == 1 else list(stories))


@main.command()
@click.argument("package", type=click.Path(path_type=Path))
@click.option("--out", type=click.Path(path_type=Path, file_okay=False), required=True)
@click.option("--frames", "frames", help="A range such as 1-120.")
@click.option("--format", "form", type=click.Choice(render_.FORMS), default="png")
@click.option("--bend", is_flag=True, help="Bend the frames as the home photo's lens does.")
@click.option("--alpha/--no-alpha", default=True, help="An alpha channel in every frame, or none: over black.")
@click.option("--depth", is_flag=True, help="The channel Z, metres, in OpenEXR frames.")
@click.option("--pieces", is_flag=True, help="A part that tells pieces apart, in OpenEXR frames.")
@click.option("--scale", type=click.Choice(["1", "0.5", "0.25"]), default="1", help="A proof: at half or quarter size.")
@click.option("--json", "as_json", is_flag=True, help="Print the files written as JSON.")
def render(
    package: Path,
    out: Path,
    frames: str | None,
    form: str,
    bend: bool,
    alpha: bool,
    depth: bool,
    pieces: bool,
    scale: str,
    as_json: bool,
) -> None:
    """Render frames or a video."""
    opened = open_package(package)
    first, last = range_of(frames)
    count = len(render_.frames_of(opened.shot, first, last))

    def told(done: int) -> None:
        click.echo(f"\r{done} of {count} frames", err=True, nl=done == count)

    name = "".join(c if c.isalnum() else "-" for c in opened.shot.name.lower()).strip("-") or "shot"
    shot = proofed(opened.shot, round(1 / float(scale)))
    snapshot = render_.Snapshot(shot, opened.read, form, bend, alpha, depth, pieces)
    paths = render_.deliver(snapshot, out, name, first, last, told)
    if as_json:
        put([str(p) for p in paths])
    else:
        click.echo(f"{count} frames in {out}")


@main.command()
@click.argument("package", type=click.Path(path_type=Path))
@click.option(
    "--out", type=click.Path(path_type=Path, dir_okay=False), required=True, help="FILE.glb, .gltf, .obj, .usda or .ora"
)
@click.option(
    "--textures",
    type=click.Choice(["faces", "photo"]),
    default="faces",
    help="A picture made for each face, or the photos and plates as they are.",
)
@click.option(
    "--texture-format",
    "depth",
    type=click.Choice(["png", "png16", "exr"]),
    default="png",
    help="Faces' pictures: 8 or 16 bit, or OpenEXR (not in glTF).",
)
def export(package: Path, out: Path, textures: Textures, depth: Depth) -> None:
    """Camera, geometry and textures for the next program; as .ora the flats as layers, for a painter."""
    if out.suffix.lower() == ".ora":
        opened = open_package(package)
        out.write_bytes(layered_file(opened.shot, engines_of(opened)))
        click.echo(str(out))
        return
    if out.suffix.lower() not in scenes.FORMS:
        raise Bad(f"Scenes are written as {', '.join(scenes.FORMS)}, .ora; not as '{out.suffix or out.name}'.")
    scenes.can_hold(out, depth)
    opened = open_package(package)
    scene = gather(opened.shot, engine_of(opened), moments(opened.shot), opened.read, textures, depth)
    for path in scenes.write_scene(scene, out):
        click.echo(str(path))


@main.command()
@click.argument("shot")
@click.option("--out", type=click.Path(path_type=Path), required=True)
@click.option("--data", type=click.Path(path_type=Path), default=None, help="The data folder that holds the shot.")
def pack(shot: str, out: Path, data: Path | None) -> None:
    """Pack a shot (its id in the data folder, or a package's folder) into FILE.zip."""
    if Path(shot).is_dir():
        opened = open_package(Path(shot))
        write_package(opened.shot, opened.read, out)
    else:
        from roofline.store.store import Store, default_data

        folder = data or default_data()
        if not (folder / "roofline.db").exists():
            raise PackageError(f"'{shot}' is not a folder, and there is no data folder at {folder}.")
        store = Store(folder)
        write_package(store.load(shot), store.blobs.read, out)
    click.echo(str(out))


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option(
    "--out", type=click.Path(path_type=Path), default=None, help="Folder to make; by default named like the file."
)
def unpack(file: Path, out: Path | None) -> None:
    """Unpack FILE.zip into a folder."""
    opened = open_package(file)
    target = out or file.with_suffix("")
    write_package(opened.shot, opened.read, target)
    click.echo(str(target))


main.add_command(plate_command)
main.add_command(standing_command)
main.add_command(along_command)
main.add_command(paint_list_command)
main.add_command(bring_back_command)

MEMORY = click.option(
    "--memory",
    type=click.FloatRange(min=0.1),
    default=4.0,
    help="GiB that may be kept at hand: pictures, and what is compiled of shots; textures may need 1.5 times that.",
)


@main.command()
@click.option("--data", type=click.Path(path_type=Path), default=None, help="Folder for shots and pictures.")
@click.option("--host", default="127.0.0.1", help="Other addresses need --token.")
@click.option("--port", type=click.IntRange(0, 65535), default=5800)
@click.option(
    "--token",
    default=None,
    envvar="ROOFLINE_TOKEN",
    help="Access token for every request. Other users of this machine can see it; --token-file hides it.",
)
@click.option(
    "--token-file", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="A file with the token alone."
)
@MEMORY
def serve(data: Path | None, host: str, port: int, token: str | None, token_file: Path | None, memory: float) -> None:
    """Start the server."""
    from roofline.server.run import run

    if token_file is not None:
        token = token_file.read_text().strip()
        if not token:
            raise Bad(f"{token_file} holds no token.")
    run(data, host, port, token, demo=False, ceiling=int(memory * 2**30))


@main.command()
@click.option("--data", type=click.Path(path_type=Path), default=None, help="Folder for shots and pictures.")
@click.option("--port", type=click.IntRange(0, 65535), default=5800)
@MEMORY
def demo(data: Path | None, port: int, memory: float) -> None:
    """Start the server with the demo shot; where one already serves the folder, print its address."""
    from roofline.server.run import run

    try:
        run(data, "127.0.0.1", port, None, demo=True, ceiling=int(memory * 2**30))
    except FolderHeld as held:
        if held.address is None:
            raise
        click.echo(f"Already running: {held.address}")


@main.command()
@click.option("--data", type=click.Path(path_type=Path), default=None, help="The data folder.")
@click.option("--days", type=click.FloatRange(min=0), default=30.0, help="For how long files must have been unused.")
def clear(data: Path | None, days: float) -> None:
    """Clear files away that no shot refers to, by undo either."""
    from roofline.store.clearing import clear as cleared
    from roofline.store.hold import Hold
    from roofline.store.store import Store, default_data

    folder = data or default_data()
    if not (folder / "roofline.db").exists():
        raise PackageError(f"There is no data folder at {folder}.")
    hold = Hold(folder)
    try:
        done = cleared(Store(folder), days)
    finally:
        hold.release()
    click.echo(
        f"{done.files} files cleared away, {done.bytes / 1e6:.1f} MB; {done.waiting} unused ones wait for their time"
    )


if __name__ == "__main__":
    main()


@main.command("verify-data")
@click.option("--data", type=click.Path(path_type=Path), default=None, help="The data folder.")
def verify_data(data: Path | None) -> None:
    """Read every file of a data folder and tell which are damaged; ends with 1 where any is."""
    from roofline.store.soundness import damaged
    from roofline.store.store import Store, default_data

    folder = data or default_data()
    if not (folder / "roofline.db").exists():
        raise PackageError(f"There is no data folder at {folder}.")
    found = 0
    for said in damaged(Store(folder)):
        click.echo(said)
        found += 1
    click.echo(f"damaged files: {found}" if found else "all files are sound")
    sys.exit(1 if found else 0)
