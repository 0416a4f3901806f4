"""A scene drawn as an array."""

from fictilis.pictures.look import Look
from fictilis.pictures.shots import Shots, aimed


def snapshot(renderer, scene, frame, width, height):
    look = Look(width, height)
    return Shots(scene, look, renderer).picture(frame, aimed(scene, "", look, [0.0]))
