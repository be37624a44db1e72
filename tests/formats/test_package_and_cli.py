"""Shot packages and the command line, called as a pipeline would."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path

import av
import jsonschema
import numpy as np
import pytest
from PIL import Image
from tests.conftest import looking, write_folder
from tests.formats.by_hand import document, in_a_process, roofline

from roofline.demo.shot import FOLDER
from roofline.errors import PackageError
from roofline.formats.package import open_package, write_package

SCHEMA = Path(__file__).resolve().parents[2] / "docs" / "schema"


def test_a_package_written_by_hand_is_checked_and_probed(tmp_path):
    folder = write_folder(tmp_path / "shot", document(), (240, 160))
    jsonschema.validate(document(), json.loads((SCHEMA / "shot.json").read_text()))
    report = json.loads(roofline("check", folder, "--json").stdout)
    jsonschema.validate(report, json.loads((SCHEMA / "check-output.json").read_text()))
    assert report["holds"] and [f["frame"] for f in report["frames"]] == [1, 2, 3, 4, 5, 6]
    # at 10 m with half the photo's focal length a delivered pixel is two photo pixels; at 8 m 10/8 of that
    stories = json.loads(roofline("probe", folder, "--frame", "6", "--pixel", "60,40", "--pixel", "70.5,40").stdout)
    jsonschema.validate(stories[0], json.loads((SCHEMA / "probe-output.json").read_text()))
    assert stories[0]["magnification"] == pytest.approx(0.5 * 10 / 8)
    assert stories[0]["depth_m"] == pytest.approx(8)
    assert stories[1]["world"] == pytest.approx([10.5 * 8 / 100, 1.5, -10])
    assert stories[1]["plate_pixel"] == pytest.approx([120 + 10.5 * 8 / 100 / 10 * 200, 80])
    single = json.loads(roofline("probe", folder, "--frame", "1", "--pixel", "60,40").stdout)
    assert single["stretch"] == pytest.approx(1) and single["surface"] == "w/front" and single["plate"] == "p"


@pytest.mark.parametrize("kind", ["wall", "slab", "flat", "block"])
def test_solids_that_bring_only_vertices_and_faces_are_read_as_they_stand(tmp_path, kind):
    given = document()
    given["solids"][0] |= {"kind": kind, "size": [60, 40]}
    shot = open_package(write_folder(tmp_path / "shot", given, (240, 160))).shot
    assert shot.solids[0].kind == "mesh" and shot.solids[0].cutout == (kind == "flat")
    assert shot.solids[0].vertices[2] == (30, 20, -10)


@pytest.mark.slow
def test_a_pipeline_gets_codes_and_lines_from_a_process(tmp_path):
    """What the other trials ask of the command in this process, once as outsiders call it."""
    folder = write_folder(tmp_path / "shot", document(), (240, 160))
    done = in_a_process("check", folder, "--json", "--width", "60")
    assert done.returncode == 0 and json.loads(done.stdout)["holds"] and done.stderr == ""
    done = in_a_process("check", tmp_path / "nowhere")
    assert done.returncode == 2 and done.stdout == "" and done.stderr.count("\n") == 1
    assert done.stderr.startswith("roofline: ") and "no package at" in done.stderr


def test_a_move_that_does_not_hold_exits_with_one(tmp_path):
    moving = document()
    moving["move"]["keys"][1]["position"] = [25, 1.5, 0]
    folder = write_folder(tmp_path / "shot", moving, (240, 160))
    report = json.loads(roofline("check", folder, "--json", "--frames", "5-6", "--width", "60", code=1).stdout)
    assert not report["holds"] and [f["frame"] for f in report["frames"]] == [5, 6]
    last = report["frames"][1]
    assert last["bare"] > 40
    cause = next(c for c in last["causes"] if c["verdict"] == "bare")
    assert cause["surface"] == "w/front" and cause["plate"] is None
    assert sum(last[v] for v in ("sound", "soft", "smeared", "spilled", "bare", "void")) == pytest.approx(100)


@pytest.mark.slow
def test_survey_of_several_files_is_an_array_in_order(tmp_path):
    files = []
    for i, focal in enumerate((900.0, 1400.0)):
        view = looking(1200, 800, focal, 35, -5, (0, 1.6, 0))
        edges = []
        for family, ends in [
            ("run", ((-2, 0, -9), (2, 0, -9))),
            ("run", ((-2, 3, -9), (2, 3, -9))),
            ("return", ((0, 0, -12), (0, 0, -7))),
            ("return", ((4, 3, -12), (4, 3, -7))),
            ("rise", ((0, 0, -9), (0, 3, -9))),
            ("rise", ((4, 0, -9), (4, 3, -9))),
        ]:
            edges.append({"family": family, "points": view.project(np.array(ends, float)).tolist()})
        path = tmp_path / f"{i}.json"
        path.write_text(
            json.dumps(
                {
                    "width": 1200,
                    "height": 800,
                    "edges": edges,
                    "focal_px": None,
                    "principal_point": "centre",
                    "distortion": "none",
                    "edge_sigma_px": 1.0,
                    "lengths": [],
                    "camera_height_m": 1.6,
                    "datum": None,
                }
            )
        )
        files.append(path)
    got = json.loads(roofline("survey", *files, "--json").stdout)
    schema = json.loads((SCHEMA / "survey-output.json").read_text())
    for result, focal in zip(got, (900, 1400), strict=True):
        jsonschema.validate(result, schema)
        assert result["camera"]["focal_px"] == pytest.approx(focal, rel=1e-6)
        assert result["camera"]["position"] == pytest.approx([0, 1.6, 0])
    assert isinstance(json.loads(roofline("survey", files[0], "--json").stdout), dict)
    assert "±" in roofline("survey", files[0]).stdout
    # said to be of one lens they get one focal length, and these two are not
    one = json.loads(roofline("survey", "--one-lens", *files, "--json").stdout)
    assert one[0]["camera"]["focal_px"] == one[1]["camera"]["focal_px"]
    assert 900 < one[0]["camera"]["focal_px"] < 1400


@pytest.mark.parametrize(("form", "suffix"), [("png", "png"), ("tiff", "tif"), ("exr", "exr")])
def test_render_writes_frames_and_never_over_them(tmp_path, form, suffix):
    folder = write_folder(tmp_path / "shot", document(), (240, 160))
    out = tmp_path / "out"
    files = json.loads(roofline("render", folder, "--out", out, "--frames", "2-3", "--format", form, "--json").stdout)
    assert [Path(f).name for f in files] == [f"by-hand.000{i}.{suffix}" for i in (2, 3)]
    before = Path(files[0]).read_bytes()
    again = roofline("render", folder, "--out", out, "--frames", "2-3", "--format", form, code=2)
    assert "nothing was overwritten" in again.stderr and Path(files[0]).read_bytes() == before
    if form == "png":
        assert np.asarray(Image.open(files[0])).shape == (80, 120, 4)


@pytest.mark.parametrize("form", ["mp4", "webm"])
def test_render_writes_video(tmp_path, form):
    folder = write_folder(tmp_path / "shot", document(), (240, 160))
    roofline("render", folder, "--out", tmp_path / "out", "--format", form)
    with av.open(str(tmp_path / "out" / f"by-hand.{form}")) as container:
        stream = container.streams.video[0]
        frames = [f.to_ndarray(format="rgb24") for f in container.decode(stream)]
        assert (stream.width, stream.height, len(frames), float(stream.average_rate)) == (120, 80, 6, 12.0)
    assert np.abs(frames[3].astype(int) - 120).max() <= 4  # the grey photo, all over the frame


def test_pack_and_unpack_bring_the_shot_back(tmp_path):
    folder = write_folder(tmp_path / "shot", document(), (240, 160))
    roofline("pack", folder, "--out", tmp_path / "shot.zip")
    roofline("unpack", tmp_path / "shot.zip", "--out", tmp_path / "again")
    one, two = open_package(folder), open_package(tmp_path / "again")
    assert two.shot.model_dump(exclude={"photos", "plates"}) == one.shot.model_dump(exclude={"photos", "plates"})
    assert two.read(two.shot.photos[0].file) == one.read("a.png")
    assert "overwritten" in roofline("unpack", tmp_path / "shot.zip", "--out", tmp_path / "again", code=2).stderr


def test_the_demo_goes_out_and_comes_back_unchanged(tmp_path):
    package = open_package(FOLDER)
    write_package(package.shot, package.read, tmp_path / "demo.zip")
    again = open_package(tmp_path / "demo.zip")
    assert again.shot.solids == package.shot.solids and again.shot.move == package.shot.move
    data = json.loads(zipfile.ZipFile(tmp_path / "demo.zip").read("shot.json"))
    jsonschema.validate(data, json.loads((SCHEMA / "shot.json").read_text()))
    assert all("vertices" in s and "faces" in s for s in data["solids"])


def without(key, item):
    d = document()
    del d[key][0][item]
    return d


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"format": "something"}, "roof-line-shot"),
        ({"version": 9}, "version 9"),
        ({"photos": document()["photos"] + document()["photos"]}, "two photos have the id 'a'"),
        ({"plates": [{**document()["plates"][0], "photo": "zz"}]}, "names the photo 'zz'"),
        ({"throws": [{"plate": "nope", "targets": []}]}, "names the plate 'nope'"),
        (
            {
                "move": {
                    "keys": [
                        {**document()["move"]["keys"][0], "frame": -40},
                        {**document()["move"]["keys"][0], "frame": 0},
                    ],
                    "sway": None,
                }
            },
            "before the shot's first frame, 0",
        ),
        ({"move": {"keys": [document()["move"]["keys"][0]] * 2, "sway": None}}, "same frame"),
        ({"plates": [{**document()["plates"][0], "file": "../../etc/passwd"}]}, "outside of it"),
        ({"plates": [{**document()["plates"][0], "file": "/etc/passwd"}]}, "outside of it"),
        ({"solids": [{**document()["solids"][0], "faces": [{"name": "f", "loop": [0, 1, 9]}]}]}, "vertex 9"),
        ({"delivery": {"width": 0, "height": 80, "fps": 12, "frames": 6}}, "delivery.width"),
    ],
)
def test_malformed_packages_are_refused(tmp_path, change, says):
    folder = write_folder(tmp_path / "shot", document(**change))
    done = roofline("check", folder, code=2)
    assert says in done.stderr and done.stderr.count("\n") == 1 and "Traceback" not in done.stderr


def test_missing_files_nan_and_climbing_links_are_refused(tmp_path):
    folder = write_folder(tmp_path / "a", document())
    (folder / "a.png").unlink()
    with pytest.raises(PackageError, match="'a.png', which is missing"):
        open_package(folder)
    (tmp_path / "secret.png").write_bytes(b"x")
    (folder / "a.png").symlink_to(tmp_path / "secret.png")
    with pytest.raises(PackageError, match="outside of it"):
        open_package(folder)
    (folder / "shot.json").write_text(json.dumps(document()).replace("200", "NaN", 1))
    with pytest.raises(PackageError, match="NaN"):
        open_package(folder)
    with zipfile.ZipFile(tmp_path / "b.zip", "w") as archive:
        archive.writestr("../shot.json", "{}")
    with pytest.raises(PackageError, match="outside of it"):
        open_package(tmp_path / "b.zip")
    (tmp_path / "c.zip").write_text("no zip")
    for path, says in (
        (tmp_path / "c.zip", "neither a folder nor a ZIP"),
        (tmp_path / "nowhere", "no package at"),
        (tmp_path, "no shot.json"),
    ):
        assert says in roofline("check", path, code=2).stderr


@pytest.mark.parametrize(
    ("args", "says"),
    [
        (("probe", FOLDER, "--frame", "999", "--pixel", "1,1"), "frames 1 to 120"),
        (("probe", FOLDER, "--frame", "1", "--pixel", "up"), "not a pixel"),
        (("probe", FOLDER, "--frame", "1", "--pixel", "nan,1"), "not a pixel"),
        (("check", FOLDER, "--frames", "9-x"), "not a range"),
        (("check", FOLDER, "--frames", "100-130"), "not among them"),
        (("export", FOLDER, "--out", "scene.doc"), "Scenes are written as"),
        (("pack", "nobody", "--out", "x.zip", "--data", "/nonexistent"), "no data folder"),
    ],
)
def test_bad_arguments_are_told_in_one_line(args, says):
    done = roofline(*args, code=2)
    assert says in done.stderr and done.stderr.strip().count("\n") == 0


@pytest.mark.parametrize(
    "text",
    [
        "{",
        '{"width": 10}',
        '{"width": 100, "height": 100, "edges": [{"family": "up", "points": [[0,0],[1,1]]}]}',
        '{"width": 1e400}',
    ],
)
def test_bad_survey_files_are_told_in_one_line(tmp_path, text):
    (tmp_path / "s.json").write_text(text)
    done = roofline("survey", tmp_path / "s.json", code=2)
    assert "s.json" in done.stderr and "Traceback" not in done.stderr
