"""Small films made for tests: a picture whose brightness tells the frame, and sound whose pitch tells the track."""

import io
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from signals import sine

RATE_HZ = 48_000


def film(
    path: Path,
    *,
    codec: str = "libx264",
    pix_fmt: str = "yuv420p",
    rate: Fraction = Fraction(25),
    n_frames: int = 50,
    sound_hz: tuple[float, ...] = (440.0,),
    flash_at: int | None = None,
    skips_every: int = 0,
    timecode: str = "",
    own: np.ndarray | None = None,
) -> Path:
    """Write a film: grey frames, one white where ``flash_at`` says, with a click in the sound at the same moment.

    Args:
        sound_hz: a tone for each sound track; none for a silent film.
        skips_every: every so many frames a time is left out, which makes the rate a variable one.
        own: sound in place of the tones, full scale 1.0, float (frames, 2).
    """
    with av.open(str(path), "w") as container:
        if timecode:
            container.metadata["timecode"] = timecode
        picture = container.add_stream(codec, rate=rate)
        picture.width, picture.height, picture.pix_fmt = 160, 90, pix_fmt
        sounds = [
            container.add_stream("pcm_s16le" if path.suffix in (".mov", ".mkv") else "aac", rate=RATE_HZ)
            for _ in sound_hz
        ]
        for sound in sounds:
            sound.layout = "stereo"
        for number in range(n_frames):
            level = 255 if number == flash_at else 40
            frame = av.VideoFrame.from_ndarray(np.full((90, 160, 3), level, np.uint8), format="rgb24").reformat(
                format=pix_fmt
            )
            frame.pts = number + (number // skips_every if skips_every else 0)
            frame.time_base = 1 / rate
            for packet in picture.encode(frame):
                container.mux(packet)
        for packet in picture.encode(None):
            container.mux(packet)
        seconds = float(n_frames / rate)
        t = np.arange(round(seconds * RATE_HZ)) / RATE_HZ
        for sound, freq_hz in zip(sounds, sound_hz, strict=True):
            wave = 0.1 * np.sin(2 * np.pi * freq_hz * t)
            if flash_at is not None:
                click = round(flash_at / rate * RATE_HZ)
                wave[click : click + 480] += 0.7
            sides = np.repeat(wave[:, None], 2, axis=1) if own is None else own[: len(wave)]
            samples = (sides * 32_767).astype(np.int16).reshape(1, -1)
            frame = av.AudioFrame.from_ndarray(samples, format="s16", layout="stereo")
            frame.rate, frame.pts = RATE_HZ, 0
            size = sound.codec_context.frame_size or 1_024
            to_coder = av.AudioResampler(format=sound.format.name, layout="stereo", rate=RATE_HZ, frame_size=size)
            for piece in [*to_coder.resample(frame), *to_coder.resample(None)]:
                for packet in sound.encode(piece):
                    container.mux(packet)
            for packet in sound.encode(None):
                container.mux(packet)
    return path


def mp3_bytes(folder):
    """A second of tone as MP3, which the HLS demuxer takes for a segment."""
    path = folder / "made.mp3"
    with av.open(str(path), "w") as file:
        stream = file.add_stream("libmp3lame", rate=48_000)
        frame = av.AudioFrame.from_ndarray(sine(-20, 1.0).T.copy(), format="fltp", layout="stereo")
        frame.rate = 48_000
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            file.mux(packet)
    return path.read_bytes()


def still(coding="mjpeg", side=300):
    """The bytes of a small picture file."""
    file = io.BytesIO()
    with av.open(file, "w", format="image2pipe") as out:
        stream = out.add_stream(coding, rate=1)
        stream.width = stream.height = side
        stream.pix_fmt = "yuvj420p" if coding == "mjpeg" else "rgb24"
        image = np.full((side, side, 3), 90, np.uint8)
        image[: side // 2] = np.random.default_rng(1).integers(0, 255, 3, np.uint8)
        frame = av.VideoFrame.from_ndarray(image, format="rgb24").reformat(format=stream.pix_fmt)
        out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return file.getvalue()
