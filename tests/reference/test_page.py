"""The page for the browser against the core, in a real Chromium without a network.

Sources: the page runs by the published behaviour of HTML, JavaScript (ECMAScript) and WebGL as Chromium has them; the numbers
it must show are the core's, to 1e-5 of the size (common practice for 32-bit numbers, no published source).
"""

import numpy as np
import pytest
from msgspec.structs import replace

import fictilis
from fictilis.core.channels import stand_at, values_at
from fictilis.core.cues import BACK, CLICK, KEY, LEAD, Act, Cue, Lead, Then, When
from fictilis.core.edits.cues import add_cue
from fictilis.core.edits.objects import with_all_of
from fictilis.core.edits.topology import as_drawn
from fictilis.core.evaluate import evaluate_object
from fictilis.core.mix.acting import shares_at
from fictilis.core.rehearsal.runner import Event, Runner
from fictilis.formats.page import write_page
from tests.core.test_cues import pond as pond_fixture
from tests.core.test_cues import random_pond
from tests.formats.test_choices import MAKERS, made
from tests.reference.browser import MISSING, chromium

pytestmark = pytest.mark.skipif(bool(MISSING), reason=MISSING)
pond = pond_fixture
POINTS = "fictilis.player.frame = arguments[0]; fictilis.show(); return fictilis.objects.map(o => Array.from(o.points))"
PLACES = "return fictilis.objects.map(o => o.mesh.matrix.elements)"
LEFT_OUT = ("Motion along a line", "Clips")


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
            off = np.abs(np.reshape(mine, (-1, 3)) - evaluate_object(obj, frame, scene.fps)).max()
            assert off < 1e-5 * size, (own.name, frame)
            if own.repeated is None:
                stand = stand_at(own, frame, fps=scene.fps).transform.matrix()
                assert np.allclose(np.reshape(place, (4, 4)).T, stand, atol=1e-5 * size), (own.name, frame)
    assert not page.fetched() and not page.said()


def test_the_demo_in_the_page(jelly):
    scene, page = jelly
    bell = scene.objects[0]
    for frame in np.linspace(scene.start, scene.end, 20).tolist():
        points = np.reshape(page.run(POINTS, frame)[0], (-1, 3))
        assert np.abs(points - evaluate_object(bell, frame, scene.fps)).max() < 1e-5 * 75
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
    assert np.abs(points - evaluate_object(still, 0.0)).max() < 1e-5 * 75


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
