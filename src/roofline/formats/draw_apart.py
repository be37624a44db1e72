"""Draws an SVG in a process of its own, run by its path: `python draw_apart.py width|height PIXELS < text > png`.

What a stranger's drawing makes of the renderer (no end, no memory left, a crash) ends this program and no other.
"""

from __future__ import annotations

import resource
import sys

MEMORY = 3 << 30  # bytes of address space
SECONDS = 20  # of the processor


def main() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    import resvg_py

    side, pixels = sys.argv[1], int(sys.argv[2])
    wide, high = (pixels, None) if side == "width" else (None, pixels)
    text = sys.stdin.buffer.read().decode()
    try:
        drawn = resvg_py.svg_to_bytes(svg_string=text, width=wide, height=high, dpi=96)
    except ValueError as error:
        print(error, file=sys.stderr)
        sys.exit(2)
    sys.stdout.buffer.write(bytes(drawn))


if __name__ == "__main__":
    main()
