"""Distances between two points: kept with the scene, carried through every change of its objects, and right at each frame."""

import json

import numpy as np
import pytest

from fictilis.cli import main
from fictilis.core.animation.curve import Key
from fictilis.core.at_frame.copies import first_matrix
from fictilis.core.at_frame.paths import distance_over
from fictilis.core.at_frame.pose import Pose
from fictilis.core.checks.changes import changes
from fictilis.core.edits.forms import add_form, set_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.measures import add_measure, remove_measure, rename_measure
from fictilis.core.edits.objects import with_all_of
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.affine import placed
from fictilis.core.ground.errors import EditRefused
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.kept import PointOf
from fictilis.demo import SAMPLES, sample
from fictilis.formats.registry import load, save

OBJ = "o1"


def measured(sheet):
    return add_measure(sheet, PointOf(OBJ, 0), PointOf(OBJ, 24), "Across")


@pytest.mark.parametrize("name", SAMPLES)
def test_it_is_what_lies_between_the_points_at_each_frame(name):
    scene = sample(name)
    first, last = scene.objects[0], scene.objects[-1]
    scene = add_measure(scene, PointOf(first.id, 1), PointOf(last.id, len(last.base) - 1))
    frames = np.array([0.0, 7.5, 31.0])
    places = []
    for obj, point in ((first, 1), (last, -1)):
        places.append([placed(Pose(scene, obj, f).points[[point]], first_matrix(scene, obj, f))[0] for f in frames])
    expected = np.linalg.norm(np.array(places[0]) - np.array(places[1]), axis=1)
    assert np.allclose(distance_over(scene, scene.measures[0], frames), expected, atol=1e-9)


def test_it_sees_keys_of_place_and_shape(sheet):
    scene = set_key(set_key(measured(sheet), OBJ, "t2", Key(0, 0, "linear")), OBJ, "t2", Key(10, 1, "linear"))
    scene = set_key(set_key(scene, OBJ, "scale.x", Key(0, 1, "linear")), OBJ, "scale.x", Key(10, 2, "linear"))
    found = distance_over(scene, scene.measures[0], np.array([0.0, 5.0, 10.0]))
    assert np.allclose(found, np.hypot([40, 42 * 1.5, 44 * 2], 40))  # Slide takes the right half 4 cm along


CARRIED = {  # what is done to the sheet, and where the two corners that were measured are then; None where it is gone
    "mesh-subdivide": (Pick("faces", np.arange(16)), {}, (40, 40)), "mesh-delete-points": (Pick("points", [24]), {}, None),
    "mesh-delete-faces": (Pick("faces", [5]), {}, (40, 40)), "mesh-loop-cut": (Pick("edges", [3]), {}, (40, 40)),
    "mesh-weld": (Pick("points", [0, 1]), {"within": 50.0}, (35, 40)), "mesh-triangulate": (Pick(), {}, (40, 40)),
    "mesh-extrude": (Pick("faces", [0]), {"offset": 3.0}, (40, 40)), "object-remove": (Pick(), {}, None),
}  # fmt: skip


@pytest.mark.parametrize("operation", CARRIED)
def test_it_stays_on_its_points_through_every_change_of_the_mesh(sheet, operation):
    pick, values, expected = CARRIED[operation]
    made = OPERATIONS[operation].make(Subject(measured(sheet), OBJ, pick=pick, kind=pick.kind), values).scene
    found = [distance_over(made, m, np.zeros(1))[0] for m in made.measures]
    assert np.allclose(found, [] if expected is None else [np.linalg.norm(expected)])


def test_other_points_of_a_form_have_no_measure_and_another_size_has(sheet):
    scene, ball = add_form(sheet, "Globe", {"segments": 8, "rings": 4, "radius": 10.0})
    scene = add_measure(measured(scene), PointOf(ball, 0), PointOf(OBJ, 0))
    assert [m.name for m in set_form(scene, ball, {"segments": 9}).measures] == ["Across"]
    assert len(set_form(scene, ball, {"radius": 11.0}).measures) == 2


def test_scenes_put_together_have_the_measures_of_both(sheet):
    both = with_all_of(measured(sheet), measured(sheet))
    assert [(m.name, m.first.owner) for m in both.measures] == [("Across", "o1"), ("Across 2", "o2")]


def test_it_is_told_as_a_change_and_refused_where_it_cannot_be(sheet):
    scene = measured(sheet)
    assert changes(sheet, scene) == ["The scene has other measures."]
    assert rename_measure(scene, "Across", "Gap").measures[0].name == "Gap" and not remove_measure(scene, "Across").measures
    for first, second, why in ((0, 25, "from 0 to 24, not 25"), (3, 3, "to itself")):
        with pytest.raises(EditRefused, match=why):
            add_measure(sheet, PointOf(OBJ, first), PointOf(OBJ, second))
    with pytest.raises(EditRefused, match="its measures are: Across"):
        remove_measure(scene, "Gap")


def test_the_command_line_measures_and_lights(tmp_path, sheet, capsys):
    path = tmp_path / "s.fictilis"
    save(sheet, path)
    add = ["measure", str(path), "add", "--first", "Sheet", "--first-point", "0", "--second", "Sheet", "--second-point", "24"]
    assert main([*add, "--name", "Across"]) == main(["measure", str(path), "rename", "--name", "Across", "--to", "Gap"]) == 0
    assert main(["light", str(path), "set", "--shade", "0.25", "--lines", "1", "--line-colour", "#334455"]) == 0
    assert main(["info", str(path), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["measures"] == [{"name": "Gap", "cm": round(40 * 2**0.5, 6)}]
    assert told["light"]["shade"] == 0.25 and told["light"]["line_colour"] == "#334455" and told["light"]["relief"] == 0.5
    assert main(["light", str(path), "set", "--line-colour", "red"]) == 2 and "no colour" in capsys.readouterr().err
    assert main(["measure", str(path), "remove", "--name", "Gap"]) == 0 and not load(path).measures
