"""Which microphone of a recorder file sounds."""

import pytest

from recitant_core.intake.microphones import Microphone, file_of, microphone_of, preferred, scene_of


@pytest.mark.parametrize(
    ("names", "index"),
    [
        (["Lav anna", "Boom", "Mix L", "Mix R"], 2),  # the recorder's mix
        (["Lav anna", "Boom", "Lav ben"], 1),
        (["lav 1", "BM2"], 1),
        (["remix room", "boom"], 1),  # mix inside a word is none
    ],
)
def test_the_mix_then_the_boom(names, index):
    assert preferred([Microphone(name, 30.0 - k) for k, name in enumerate(names)]) == index


def test_else_the_clearest_speech_then_the_loudest():
    assert preferred([Microphone("a", 12.0), Microphone("b", 25.0), Microphone("c")]) == 1
    assert preferred([Microphone("a", None, -40.0), Microphone("b", None, -25.0)]) == 1
    assert preferred([Microphone("ch 1")]) == 0


def test_names_of_channels_part_into_microphone_file_and_scene():
    assert microphone_of("Boom, scene 4 take 2") == "Boom" and microphone_of("voice") == ""
    assert file_of("Boom, scene 4 take 2") == "scene 4 take 2" and file_of("voice") == "voice"
    assert scene_of("Lav anna, scene 4 take 11") == "scene 4"
