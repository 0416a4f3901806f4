"""The page for the browser against the core, in a real Chromium without a network.

Sources: the page runs by the published behaviour of HTML, JavaScript (ECMAScript) and WebGL as Chromium has them; the numbers
it must show are the core's, to 1e-5 of the size (common practice for 32-bit numbers, no published source).
"""

from html.parser import HTMLParser

import numpy as np
import pytest
from msgspec.structs import replace

import fictilis
from fictilis.core.animation.easing import ease_at
from fictilis.core.at_frame.drawn import as_drawn
from fictilis.core.edits.cues import add_cue
from fictilis.core.edits.objects import with_all_of
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.channels import own_placement, values_at
from fictilis.core.rehearsal.runner import Event, Runner
from fictilis.core.scene.cues import BACK, CLICK, KEY, LEAD, Act, Cue, Lead, Then, When
from fictilis.core.scene.timeline import Sound
from fictilis.formats.page import write_page
from tests.formats.dressed import MAKERS, made
from tests.mixes import mix_at
from tests.ponds import pond as pond_fixture
from tests.ponds import random_pond
from tests.reference.browser import MISSING, chromium

pytestmark = pytest.mark.skipif(bool(MISSING), reason=MISSING)
pond = pond_fixture
POINTS = "fictilis.player.frame = arguments[0]; fictilis.show(); return fictilis.objects.map(o => Array.from(o.points))"
PLACES = "return fictilis.objects.map(o => o.mesh.matrix.elements)"
LEFT_OUT = ("Motion along a line", "Clips", "Other clips")


@pytest.fixture(scope="module")
def browser():
    with chromium() as found:
        yield found


def touched():
    scene = replace(fictilis.moon_jelly(), cues=())
    bell = scene.objects[0]
    scene, _ = add_cue(scene, Cue("", "Touch", When(CLICK, bell.id),
                       Act(LEAD, (Lead(bell.id, "t1", 1.0),), seconds=0.4), Then(3.0, BACK, 0.8)))  # fmt: skip
    return add_cue(scene, Cue("", "Startle", When(KEY, key="A"), Act(LEAD, (Lead(bell.id, "t2", 0.8),), seconds=0.0)))[0]


@pytest.fixture
def jelly(browser, tmp_path):
    scene = touched()
    write_page(tmp_path / "jelly.html", scene)
    return scene, browser.open(tmp_path / "jelly.html")


def together():
    """An object for every feature that files keep, in one scene."""
    scene = fictilis.Scene(end=24.0)
    for name in MAKERS:
        if name not in LEFT_OUT:
            scene = with_all_of(scene, made(name))
    return scene


@pytest.mark.parametrize("name", ["together", "Clips"])
def test_points_and_places_equal_the_core_at_twenty_times(name, browser, tmp_path):
    scene = together() if name == "together" else made(name)
    write_page(tmp_path / "p.html", scene)
    page = browser.open(tmp_path / "p.html")
    owned = [o for o in scene.objects if o.visible]
    drawn = [as_drawn(o) for o in owned]
    for frame in np.linspace(scene.start, scene.end, 20).tolist():
        points, places = page.run(POINTS, frame), page.run(PLACES)
        for obj, own, mine, place in zip(drawn, owned, points, places, strict=True):
            size = float(np.ptp(obj.base, axis=0).max())
            off = np.abs(np.reshape(mine, (-1, 3)) - mix_at(obj, frame, scene.fps)).max()
            assert off < 1e-5 * size, (own.name, frame)
            if own.repeated is None:
                stand = own_placement(own, frame, fps=scene.fps).transform.matrix()
                assert np.allclose(np.reshape(place, (4, 4)).T, stand, atol=1e-5 * size), (own.name, frame)
    assert not page.fetched() and not page.said()


def test_the_demo_in_the_page(jelly):
    scene, page = jelly
    bell = scene.objects[0]
    for frame in np.linspace(scene.start, scene.end, 20).tolist():
        points = np.reshape(page.run(POINTS, frame)[0], (-1, 3))
        assert np.abs(points - mix_at(bell, frame, scene.fps)).max() < 1e-5 * 75
    assert not page.fetched() and not page.said()


def test_sliders_give_the_weights_and_points_that_the_core_gives(jelly):
    from selenium.webdriver import ActionChains
    from selenium.webdriver.common.by import By

    scene, page = jelly
    bell, posed = scene.objects[0], {}
    for number, slider in enumerate(page.driver.find_elements(By.CSS_SELECTOR, ".slider input")):
        wide = slider.size["width"]
        ActionChains(page.driver).move_to_element_with_offset(slider, round(wide * (0.1 * number - 0.2)), 0).click().perform()
        posed[slider.get_attribute("id").split("-")[-1]] = float(slider.get_property("value"))
    assert len(posed) == 6 and len(set(posed.values())) > 4
    values = page.run("return fictilis.player.values('o1')")
    assert all(abs(values[t] - w) < 1e-9 for t, w in posed.items())
    page.run("fictilis.follow()")
    shares = page.run("return fictilis.objects[0].shares(fictilis.player.values('o1'))")
    assert np.abs(np.array(shares) - shares_at(bell, scene.start, posed, scene.fps)).max() < 1e-5
    points = np.reshape(page.run("return Array.from(fictilis.objects[0].points)"), (-1, 3))
    still = replace(bell, lanes=(), targets=tuple(replace(t, weight=posed.get(t.id, t.weight)) for t in bell.targets))
    assert np.abs(points - mix_at(still, 0.0)).max() < 1e-5 * 75


def test_a_click_and_a_key_run_cues(jelly):
    from selenium.webdriver import ActionChains
    from selenium.webdriver.common.by import By

    scene, page = jelly
    canvas = page.driver.find_element(By.TAG_NAME, "canvas")
    corner = (-canvas.size["width"] // 2 + 5, -canvas.size["height"] // 2 + 5)
    ActionChains(page.driver).move_to_element_with_offset(canvas, *corner).click().perform()
    assert page.run("return fictilis.player.runner.log") == []
    ActionChains(page.driver).move_to_element_with_offset(canvas, 0, -60).click().perform()
    ActionChains(page.driver).send_keys("a").perform()
    page.run("fictilis.player.step(0.25); fictilis.follow()")
    assert [row[1:] for row in page.run("return fictilis.player.runner.log")][:2] == [["q1", "begins"], ["q2", "begins"]]
    runner = Runner(scene)
    runner.click(0.0, "o1")
    runner.key(0.0, "A")
    runner.advance(0.25)
    wanted = runner.values()["o1"]
    found = page.run("return fictilis.player.values('o1')")
    assert all(abs(found[t.id] - wanted[t.id]) < 1e-5 for t in scene.objects[0].targets if t.rule is None)
    assert page.driver.find_element(By.ID, "said").text == "Touch"


@pytest.mark.parametrize("seed", range(3))
def test_the_same_events_give_the_weights_that_the_core_gives(seed, pond, browser, tmp_path):
    rng = np.random.default_rng(seed)
    scene = random_pond(pond, rng)
    kinds = (("click", "o1", 0, (0,)), ("key", "A"))
    events = [Event(float(t), *kinds[rng.integers(2)]) for t in np.sort(rng.uniform(0, 8, 25))]
    times = np.sort(rng.uniform(0, 10, 60)).tolist()
    write_page(tmp_path / "pond.html", scene)
    page = browser.open(tmp_path / "pond.html")
    seen = page.run(
        """const [events, times] = arguments, p = fictilis.player, out = []; p.begin();
        for (const t of times) {
          while (events.length && events[0][0] <= t) {
            const [at, kind, name] = events.shift();
            if (kind === "click") p.runner.click(at, name, 0, [0]); else p.runner.key(at, name);
          }
          p.runner.advance(t);
          out.push(Object.fromEntries(p.data.objects.map(o => [o.id, p.runner.values(o.id)])));
        }
        return [out, p.runner.log];""",
        [[e.time, e.kind, e.name] for e in events],
        times,
    )
    runner, waiting, worst = Runner(scene), list(events), 0.0
    for t, row in zip(times, seen[0], strict=True):
        while waiting and waiting[0].time <= t:
            runner.repeat(waiting.pop(0))
        runner.advance(t)
        values = runner.values()
        for obj in scene.objects:
            shown = values_at(runner.shown.object(obj.id), runner.frame, values.get(obj.id), scene.fps)
            worst = max(worst, *(abs(row[obj.id][target.id] - shown[target.id]) for target in obj.targets))
    assert worst < 1e-5
    assert [r[1:] for r in seen[1]] == [list(r[1:]) for r in runner.log] and len(seen[1]) > 20


def test_the_page_is_walked_by_keys_and_named_for_a_screen_reader(jelly):
    from selenium.webdriver import ActionChains
    from selenium.webdriver.common.by import By
    from selenium.webdriver.common.keys import Keys

    _, page = jelly
    yaw = page.run("return fictilis.eye.yaw")
    ActionChains(page.driver).send_keys(Keys.ARROW_RIGHT).send_keys("+").perform()
    assert page.run("return fictilis.eye.yaw") != yaw
    ActionChains(page.driver).send_keys(Keys.SPACE).perform()
    assert page.run("return fictilis.player.playing") is True
    page.run("fictilis.player.step(0.5); fictilis.follow()")
    assert page.run("return fictilis.player.frame") == pytest.approx(12.0)
    assert page.driver.find_element(By.ID, "play").get_attribute("aria-label") == "Pause"
    for control in page.driver.find_elements(By.CSS_SELECTOR, "button, input, select, canvas"):
        if control.is_displayed():
            assert control.accessible_name, control.get_attribute("outerHTML")
    theme = page.run("return document.documentElement.dataset.theme")
    page.driver.find_element(By.ID, "theme").click()
    assert page.run("return document.documentElement.dataset.theme") != theme


@pytest.mark.parametrize(("which", "names"), [("cues", ["Contract", "Flare"]), ("none", [])])
def test_a_page_has_the_sliders_that_were_chosen(which, names, browser, tmp_path):
    write_page(tmp_path / "p.html", touched(), sliders=which)
    page = browser.open(tmp_path / "p.html")
    assert page.run("return Array.from(document.querySelectorAll('.slider label'), (x) => x.textContent)") == names


HOSTILE = (
    "x</sCrIpT><svg onload=document.title='run'>", "<!-- <script>", "</title><img src=x onerror=document.title='run'>",
    "a\u2028b\u2029c", "]]>&lt;script&gt;", "\\u003c/script>", "${document.title='run'}", '"><b onclick=1>',
    "@data @code", "&amp;",
)  # fmt: skip


def named(scene, name, *targets):
    bell = scene.objects[0]
    first = bell.targets[0]
    more = tuple(replace(first, id=f"t{90 + n}", name=other) for n, other in enumerate(targets))
    bell = replace(bell, name=name, targets=(replace(first, name=name), *bell.targets[1:], *more))
    cues = (replace(scene.cues[0], name=name), *scene.cues[1:])
    return replace(scene, name=name, objects=(bell,), cues=cues, clips=())


def test_no_name_runs_anything_in_a_page(browser, tmp_path):
    """Source: HTML (WHATWG), 13.1.2 and 4.12.1.3: how a script element ends. The names are shown as they are."""
    name = "".join(HOSTILE)
    write_page(tmp_path / "p.html", named(touched(), name, *HOSTILE))
    page = browser.open(tmp_path / "p.html")
    labels = page.run("return Array.from(document.querySelectorAll('.slider label'), (x) => x.textContent)")
    assert labels[0] == name and labels[-len(HOSTILE) :] == list(HOSTILE)
    assert page.run("return [document.title, document.scripts.length]") == [name, 3]
    assert not page.fetched() and not page.said() and page.run("return fictilis.data.name") == name


class _Read(HTMLParser):
    """The title of a page and how many scripts it has, as a reader of HTML sees them."""

    def __init__(self, text):
        super().__init__()
        self.title, self.scripts, self.within = "", 0, ""
        self.feed(text)

    def handle_starttag(self, tag, _attributes):
        self.within, self.scripts = tag, self.scripts + (tag == "script")

    def handle_endtag(self, _tag):
        self.within = ""

    def handle_data(self, data):
        self.title += data if self.within == "title" else ""


@pytest.mark.parametrize("name", HOSTILE)
def test_a_name_is_the_title_and_nothing_else(name, tmp_path):
    write_page(tmp_path / "p.html", named(touched(), name))
    read = _Read((tmp_path / "p.html").read_text())
    assert (read.title, read.scripts) == (name, 3)


def test_nothing_but_the_pages_own_script_may_run(jelly):
    """Source: Content Security Policy Level 3 (W3C): what no hash names is refused."""
    _, page = jelly
    page.run("document.body.insertAdjacentHTML('beforeend', `<img src=x onerror=\"document.title='run'\">`)")
    page.run("const s = document.createElement('script'); s.textContent = \"document.title='run'\"; document.body.append(s)")
    assert page.run("return new Promise((r) => setTimeout(() => r(document.title), 200))") != "run"
    assert any("Content Security Policy" in said for said in page.said())


def test_a_key_has_the_name_that_the_application_gives_it(browser, tmp_path):
    """Source: QKeySequence's portable text, which the application takes its names from; UI Events KeyboardEvent key values."""
    from selenium.webdriver import ActionChains
    from selenium.webdriver.common.keys import Keys

    scene = replace(fictilis.moon_jelly(), cues=())
    names = ("A", "Shift+A", "Ctrl+B", "Shift+Left", "Shift+!")
    for number, key in enumerate(names):
        act = Act(LEAD, (Lead("o1", f"t{number % 4 + 1}", 1.0),), seconds=0.1)
        scene, _ = add_cue(scene, Cue("", f"Cue {key}", When(KEY, key=key), act))
    write_page(tmp_path / "p.html", scene)
    page = browser.open(tmp_path / "p.html")
    pressed = [("a",), (Keys.SHIFT, "A"), (Keys.CONTROL, "b"), (Keys.SHIFT, Keys.ARROW_LEFT), (Keys.SHIFT, "!")]
    for keys in pressed:
        chain = ActionChains(page.driver)
        for modifier in keys[:-1]:
            chain = chain.key_down(modifier)
        chain = chain.send_keys(keys[-1])
        for modifier in keys[:-1]:
            chain = chain.key_up(modifier)
        chain.perform()
    log = page.run("return fictilis.player.runner.log.filter((row) => row[2] === 'begins').map((row) => row[1])")
    assert log == [cue.id for cue in scene.cues]


@pytest.mark.parametrize("ease", ["cubic-bezier(0.5, 1e+0, 0.25, 1)", "cubic-bezier(.5, -1E-1, +0.25, 1.5e0)"])
def test_numbers_of_an_easing_are_read_as_css_writes_them(ease, jelly):
    """Source: CSS Values and Units Level 4 (W3C), 4.3: a number may have a sign, and an exponent with a sign."""
    _, page = jelly
    page.run("""const r = fictilis.player.runner, cue = fictilis.data.cues[1]; cue.act.ease = arguments[0]; cue.act.seconds = 1;
             r.key(r.now, 'A')""", ease)  # fmt: skip
    begun, first = page.run("const r = fictilis.player.runner; return [r.now, r.base('value|o1|t2', r.now)]")
    for u in (0.2, 0.5, 0.8):
        now = "const r = fictilis.player.runner; r.advance(arguments[0]); return r.numberAt('value|o1|t2', arguments[0])"
        value = page.run(now, begun + u)
        assert value == pytest.approx(first + (0.8 - first) * float(ease_at(ease, np.array([u]))[0]), abs=1e-6)


def test_a_sound_is_heard_where_the_scene_stands_in_time(browser, tmp_path):
    """It begins after Play where it lies later, stops where the range begins anew, and goes on where a cue has it."""
    scene = replace(touched(), sound=Sound("surf.wav", b"RIFF not really", 24.0))
    write_page(tmp_path / "p.html", scene)
    page = browser.open(tmp_path / "p.html")
    page.run("""window.done = []; fictilis.audio = { paused: true, currentTime: 0, duration: 1.5,
             play() { this.paused = false; done.push(["play", this.currentTime]); return Promise.resolve(); },
             pause() { this.paused = true; done.push(["pause"]); } }""")
    page.run("fictilis.toggle()")
    assert page.run("return done") == []
    page.run("fictilis.player.step(1.25); fictilis.follow()")
    assert page.run("return done") == [["play", 0.25]]
    page.run("fictilis.audio.currentTime = 0.75; fictilis.player.step(0.5); fictilis.follow()")
    assert page.run("return done") == [["play", 0.25]]
    page.run("fictilis.player.step(1.25); fictilis.follow()")  # past its end
    page.run("fictilis.player.step(1.25); fictilis.follow()")  # 4.25 s: the range began anew
    assert page.run("return done") == [["play", 0.25], ["pause"]]
    page.run("fictilis.player.step(1.0); fictilis.follow()")
    assert [row[0] for row in page.run("return done")] == ["play", "pause", "play"]
