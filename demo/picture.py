"""Makes the demo's picture: python demo/picture.py FILE. A drawn film whose frame numbers can be read."""

import sys
from pathlib import Path

import av
import numpy as np

RATE = 25
WIDTH, HEIGHT = 320, 180
FILM_S = 185
# What is seen when: start, end, ground (top, bottom), heat of the glow.
SCENES = [
    (0.0, 13.0, (38, 44, 58), (70, 66, 62), 0.1),
    (13.0, 28.0, (52, 46, 44), (96, 78, 60), 0.3),
    (28.0, 45.0, (44, 40, 40), (84, 70, 58), 0.25),
    (45.0, 84.0, (40, 26, 22), (140, 62, 20), 0.8),
    (84.0, 106.0, (60, 26, 12), (230, 120, 30), 1.0),
    (106.0, 133.0, (48, 48, 52), (92, 88, 84), 0.3),
    (133.0, 161.0, (46, 50, 48), (104, 98, 80), 0.2),
    (161.0, 185.0, (30, 40, 62), (140, 130, 110), 0.15),
]
STRIKES_S = (13.4, 14.55, 15.7, 16.85, 43.0, 44.15, 45.3, 133.5, 135.1, 161.5)


def _digit(character: str) -> np.ndarray:
    rows = {
        "0": "111 101 101 101 111",
        "1": "010 110 010 010 111",
        "2": "111 001 111 100 111",
        "3": "111 001 111 001 111",
        "4": "101 101 111 001 001",
        "5": "111 100 111 001 111",
        "6": "111 100 111 101 111",
        "7": "111 001 010 010 010",
        "8": "111 101 111 101 111",
        "9": "111 101 111 001 111",
        ":": "000 010 000 010 000",
    }[character]
    return np.array([[int(c) for c in row] for row in rows.split()])


def timecode_mask(number: int) -> np.ndarray:
    """The frame's timecode as a mask, bool (20, 170)."""
    seconds, frame = divmod(number, RATE)
    text = f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}:{frame:02d}"
    mask = np.zeros((20, 170), dtype=bool)
    for index, character in enumerate(text):
        mask[:, index * 15 : index * 15 + 12] = np.kron(_digit(character), np.ones((4, 4))) > 0
    return mask


def frames():
    """Every frame as uint8 (height, width, 3)."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    bell = _bell(x, y)
    glow = np.exp(-(((x - WIDTH / 2) / 100) ** 2) - ((y - HEIGHT * 0.78) / 54) ** 2)
    glow = (glow[..., None] * np.array([190, 96, 28])).astype(np.float32)
    share = (y / HEIGHT)[..., None]
    for start, end, top, bottom, heat in SCENES:
        ground = (np.array(top) * (1 - share) + np.array(bottom) * share).astype(np.float32)
        for number in range(round(start * RATE), round(end * RATE)):
            at_s = number / RATE
            flicker = heat * (0.85 + 0.15 * np.sin(at_s * 7.3) * np.sin(at_s * 3.1))
            picture = ground + glow * np.float32(flicker)
            drift = int(7 * np.sin((at_s - start) / (end - start) * np.pi))
            picture[np.roll(bell, drift, axis=1)] *= 0.32
            since = min((at_s - strike for strike in STRIKES_S if at_s >= strike - 1e-9), default=9.0)
            if since < 0.3:
                picture += np.float32(120 * (1 - since / 0.3))
            picture[HEIGHT - 28 : HEIGHT - 8, 10:180][timecode_mask(number)] = 236
            yield np.clip(picture, 0, 255).astype(np.uint8)


def _bell(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """The outline of a bell, hanging; bool (height, width)."""
    height = (y - HEIGHT * 0.2) / (HEIGHT * 0.55)
    rise = np.clip(height, 0, 1)
    half = np.where(height < 0.75, 18 + 15 * rise**0.6 + 11 * rise**3, 43 + 60 * (height - 0.75))
    body = (np.abs(x - WIDTH / 2) < half) & (height > 0) & (height < 1)
    return body | ((np.abs(x - WIDTH / 2) < 7) & (height > -0.12) & (height <= 0))


def main() -> None:
    """Write the film without sound; it appears under its name once it is whole."""
    target = Path(sys.argv[1])
    part = target.with_suffix(".part.mp4")
    with av.open(str(part), "w", options={"movflags": "+faststart"}) as film:
        film.metadata["timecode"] = "10:00:00:00"
        stream = film.add_stream("libx264", rate=RATE, options={"preset": "veryfast", "crf": "30"})
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        stream.codec_context.gop_size = RATE
        stream.codec_context.max_b_frames = 0
        for picture in frames():
            for packet in stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")):
                film.mux(packet)
        for packet in stream.encode(None):
            film.mux(packet)
    part.replace(target)


if __name__ == "__main__":
    main()
