"""Write docs/schema: JSON Schema of the shot package and of the survey files, and the server's OpenAPI document;
and what
the front end shares with the server (see tools.shared).

python -m tools.schema            write
python -m tools.schema --check    exit 1 when a file is not current
"""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from tools.shared import changes, constants, curves, frames, motions, paces, vectors

from roofline.model.reports import CheckReport, ProbeReport
from roofline.model.shot import Shot
from roofline.model.survey import SurveyInput, SurveyResult
from roofline.server.app import create_app

ROOT = Path(__file__).resolve().parents[1]
SCHEMA = ROOT / "docs" / "schema"


def documents() -> dict[str, dict]:
    with tempfile.TemporaryDirectory() as folder:
        openapi = create_app(Path(folder)).test_client().get("/api/openapi.json").get_json()
    return {
        "shot.json": Shot.model_json_schema(),
        "survey-input.json": SurveyInput.model_json_schema(),
        "survey-output.json": SurveyResult.model_json_schema(mode="serialization"),
        "check-output.json": CheckReport.model_json_schema(mode="serialization"),
        "probe-output.json": ProbeReport.model_json_schema(mode="serialization"),
        "openapi.json": openapi,
    }


def texts() -> dict[Path, str]:
    """All files that are made, and what is in them."""
    made = {
        SCHEMA / name: json.dumps(document, indent=1, sort_keys=True, ensure_ascii=False) + "\n"
        for name, document in documents().items()
    }
    web = ROOT / "web" / "src"
    shared = {
        "api/shared.gen.ts": constants,
        "board/vectors.gen.json": vectors,
        "hand/changes.gen.json": changes,
        "strip/pace.gen.json": paces,
        "stages/photo/frame.gen.json": frames,
        "stages/move/motion.gen.json": motions,
        "stages/plates/curve.gen.json": curves,
    }
    return made | {web / name: make() for name, make in shared.items()}


def main() -> int:
    stale = []
    for path, text in texts().items():
        if "--check" in sys.argv:
            if not path.exists() or path.read_text() != text:
                stale.append(path.name)
        else:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text)
    if stale:
        print("not current: " + ", ".join(stale) + "; run python -m tools.schema")
    return bool(stale)


if __name__ == "__main__":
    sys.exit(main())
