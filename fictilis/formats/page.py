"""A page for the browser: one file that plays a scene without a network, by three.js, which is shipped in it."""

from __future__ import annotations

import base64
import gzip
import hashlib
import html
import re
from pathlib import Path

import msgspec

from fictilis.core.at_frame.bending import acting
from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.ground.errors import EditRefused
from fictilis.core.rehearsal.acts import VALUE
from fictilis.core.rehearsal.meaning import fault
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.formats.files import Progress, no_progress, write_whole
from fictilis.formats.page_data import Store, page_data, shown_objects

ASSETS = Path(__file__).parent / "assets" / "page"
THREE = "three.module.min.js.gz"  # 0.170.0, as the npm registry has it, packed
PICTURES = "img-src data: blob:; media-src blob:"  # that the page holds itself
_EXPORTS = re.compile(r"export\s*\{([^}]*)\};?\s*$")


def write_page(
    path: Path, scene: Scene, progress: Progress = no_progress, poster: bytes | None = None, sliders: str = "all"
) -> list[str]:
    """Write a scene as a page; ``poster`` is a PNG that stands there until it runs, ``sliders`` says which targets have some:
    ``all``, those that ``cues`` lead, or ``none``. Returns sentences on what is left out.

    Raises EditRefused where nothing can be shown, and CannotSave.
    """
    if not shown_objects(scene):
        raise EditRefused("There is nothing to show on a page: no visible object has faces or strands.")
    store = Store()
    said = left_out(scene)
    data = page_data(scene, store) | {"said": said}
    led = {tuple(key[1:]) for cue in data["cues"] for key, _ in cue["goals"] if key[0] == VALUE}
    for obj in data["objects"]:
        for target in obj["targets"]:
            target["slider"] = target["slides"] and (sliders == "all" or sliders == "cues" and (obj["id"], target["id"]) in led)
    progress(0.6)
    picture = ""
    if poster is not None:
        picture = f'<img id="poster" alt="" src="data:image/png;base64,{base64.b64encode(poster).decode()}">'
    code = "\n".join([_three(), *((ASSETS / name).read_text() for name in ("mix.js", "cues.js", "page.js"))])
    code, style = f"\n{_own(code)}\n", f"\n{(ASSETS / 'page.css').read_text()}"
    parts = {
        "title": html.escape(scene.name), "style": style, "poster": picture, "code": code,
        "policy": f"default-src 'none'; script-src {_hash(code)}; style-src {_hash(style)}; {PICTURES}",
        "data": _inside(msgspec.json.encode(data).decode()),
        "arrays": base64.b64encode(gzip.compress(b"".join(store.parts), 6, mtime=0)).decode(),
    }  # fmt: skip
    text = re.sub(r"@(title|style|poster|policy|data|arrays|code)\b", lambda m: parts[m[1]], (ASSETS / "page.html").read_text())
    progress(0.9)
    write_whole(Path(path), lambda temporary: temporary.write_text(text, encoding="utf-8"))
    progress(1.0)
    return said


def _inside(text: str) -> str:
    """JSON that can stand in a script: no mark of HTML, nor what ends a line of a script, whatever names hold."""
    return re.sub("[<>&\u2028\u2029]", lambda found: f"\\u{ord(found[0]):04x}", text)


def _own(code: str) -> str:
    """Code of ours that ends no script it stands in."""
    return re.sub("<(?=/script|!--)", r"\\x3c", code, flags=re.IGNORECASE)


def _hash(text: str) -> str:
    """The source that lets a page run just this text. Source: Content Security Policy Level 3 (W3C), 2.3.1."""
    return f"'sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}'"


def _three() -> str:
    """three.js as one name, THREE, in a page's own module."""
    text = gzip.decompress((ASSETS / THREE).read_bytes()).decode()
    found = _EXPORTS.search(text)
    assert found is not None  # the shipped file ends so
    pairs = [part.strip().split(" as ") for part in found[1].split(",")]
    names = ",".join(f"{pair[-1]}:{pair[0]}" for pair in pairs)
    # in a function of its own, so that its short names meet none of the page's
    return f"const THREE=(()=>{{{text[: found.start()]};return{{{names}}}}})();"


def left_out(scene: Scene) -> list[str]:
    """What a page does not show, in sentences."""
    shown = shown_objects(scene)
    rows = (
        ([o for o in scene.objects if o not in shown], "Hidden, or without faces and strands, and so left out: {}."),
        ([o for o in shown if acting(o)], "Bend, twist and taper are left out: {}."),
        ([o for o in shown if o.spring is not None and o.spring.on], "Point springs are left out: {}."),
        ([o for o in shown if o.skin is not None and o.skin.on], "Rigs are left out, meshes stand as they were bound: {}."),
        ([o for o in shown if o.along is not None], "Motion along a line is left out: {}."),
        ([o for o in shown if o.repeated is not None], "Copies move all at once, where they stand at the first frame: {}."),
        ([o for o in shown if _drawn_in_part(o)], "Lines are shown whole: {}."),
        ([o for o in shown if isinstance(o.geometry, Line) and o.geometry.tube is not None],
         "Tubes are exact at their targets only: {}."),
        ([o for o in shown if o.appearance.texture is not None and o.appearance.texture.image is None],
         "Checkers are left out: {}."),
        (list(scene.cameras), "Cameras are left out; the page has a view of its own: {}."),
        ([c for c in scene.cues if fault(scene, c)], "Cues that lack something do not run: {}."),
    )  # fmt: skip
    said = [sentence.format(", ".join(x.name for x in found)) for found, sentence in rows if found]
    return said + (["The reference picture is left out."] if scene.reference is not None else [])


def _drawn_in_part(obj: MorphObject) -> bool:
    return obj.drawn != WHOLE or any(lane.channel.startswith("line.") for lane in obj.lanes)
