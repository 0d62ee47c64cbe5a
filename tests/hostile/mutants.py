"""Valid files of every container that is read, what becomes of them when bytes change, and a process that reads them.

Run as a program it reads mutants one after the other and writes what was raised that is no error of the core:
``python mutants.py FOLDER FIRST LAST``.
"""

import json
import random
import resource
import signal
import sys
from pathlib import Path

import av
import numpy as np
import soundfile

RATE_HZ = 48_000
MEMORY_BYTES = 4 << 30
FILE_S = 20
_FORMS = {
    "tone.wav": ("WAV", "PCM_16"), "tone24.wav": ("WAV", "PCM_24"), "wide.wav": ("WAVEX", "FLOAT"),
    "tone.aiff": ("AIFF", "PCM_16"), "tone.caf": ("CAF", "PCM_16"), "tone.w64": ("W64", "PCM_16"),
    "tone.au": ("AU", "PCM_16"), "tone.rf64": ("RF64", "PCM_24"), "tone.flac": ("FLAC", "PCM_16"),
    "tone.ogg": ("OGG", "VORBIS"),
}  # fmt: skip
_CODED = {
    "tone.mp3": ("mp3", "libmp3lame"), "tone.m4a": ("ipod", "aac"), "tone.aac": ("adts", "aac"),
    "tone.ac3": ("ac3", "ac3"), "tone.opus": ("ogg", "libopus"), "tone.mka": ("matroska", "flac"),
    "tone.mpg": ("mpeg", "mp2"), "tone.ts": ("mpegts", "aac"), "tone.avi": ("avi", "pcm_s16le"),
    "tone.mxf": ("mxf", "pcm_s16le"), "tone.wv": ("wv", "wavpack"), "tone.tta": ("tta", "tta"),
    "tone.asf": ("asf", "wmav2"), "tone.nut": ("nut", "pcm_s16le"), "tone.gxf": ("gxf", "pcm_s16le"),
}  # fmt: skip
_PICTURES = {
    "film.mp4": ("mp4", "libx264"), "film.mov": ("mov", "mpeg4"), "film.mkv": ("matroska", "libx264"),
    "film.webm": ("webm", "libvpx"), "film.flv": ("flv", "flv1"),
}  # fmt: skip


def make_seeds(folder):
    """Valid files of a quarter second, small ones; those that this build of the library writes. Their names."""
    audio = (0.3 * np.sin(np.arange(RATE_HZ // 4) * 0.05)).astype(np.float32)
    audio = np.stack([audio, audio * 0.5], axis=1)
    for name, (form, subtype) in _FORMS.items():
        soundfile.write(folder / name, audio, RATE_HZ, subtype, format=form)
    for name, (muxer, codec) in {**_CODED, **_PICTURES}.items():
        path = folder / name
        try:
            _write(path, muxer, codec, audio, has_picture=name in _PICTURES or name in ("tone.mxf", "tone.gxf"))
        except (av.FFmpegError, ValueError, TypeError):
            path.unlink(missing_ok=True)  # this build does not write it
    return sorted(path.name for path in folder.iterdir() if path.stat().st_size)


def _write(path, muxer, codec, audio, *, has_picture):
    with av.open(str(path), "w", format=muxer) as file:
        picture = None
        if has_picture:
            picture = file.add_stream(codec if path.name.startswith("film") else "mpeg2video", rate=25)
            picture.width, picture.height, picture.pix_fmt = 64, 48, "yuv420p"
        sound = None
        if not path.name.startswith("film") or path.suffix in (".mp4", ".mov", ".mkv"):
            sound = file.add_stream("aac" if path.name.startswith("film") else codec, rate=RATE_HZ)
            sound.layout = "stereo"
        for number in range(6 if picture is not None else 0):
            frame = av.VideoFrame.from_ndarray(np.full((72, 64), 40 * number, np.uint8), "yuv420p")
            frame.pts = number
            for packet in picture.encode(frame):
                file.mux(packet)
        if sound is not None:
            whole = av.AudioFrame.from_ndarray(np.ascontiguousarray(audio.T), "fltp", "stereo")
            whole.sample_rate, whole.pts = RATE_HZ, 0
            for packet in sound.encode(whole):
                file.mux(packet)
        for stream in filter(None, (picture, sound)):
            for packet in stream.encode(None):
                file.mux(packet)


def mutated(data, other, seed):
    """A file with one to eight changes: bits, bytes, lengths, pieces cut out, doubled, or taken from another file."""
    chance = random.Random(seed)
    found = bytearray(data)
    for _ in range(chance.randint(1, 8)):
        if len(found) < 16:
            break
        # Headers decide most: half of the changes fall there.
        at = chance.randrange(min(len(found) - 8, 256) if chance.random() < 0.5 else len(found) - 8)
        n_bytes = chance.randint(1, 64)
        match chance.randrange(8):
            case 0:
                found[at] ^= 1 << chance.randrange(8)
            case 1:
                found[at] = chance.randrange(256)
            case 2:
                found[at : at + 4] = chance.choice(
                    [b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", b"\xff\xff\xff\x7f"]
                )
            case 3:
                del found[at : at + n_bytes]
            case 4:
                found[at:at] = found[at : at + n_bytes]
            case 5:
                found[at : at + n_bytes] = other[at : at + n_bytes]
            case 6:
                found[at : at + n_bytes] = chance.randbytes(n_bytes)
            case _:
                del found[max(16, at) :]
    return bytes(found)


def mutant(folder, names, number):
    """The mutant of a number: name and bytes."""
    name = names[number % len(names)]
    other = names[(number * 7 + 3) % len(names)]
    return name, mutated((folder / name).read_bytes(), (folder / other).read_bytes(), number)


def main(folder, first, last):
    """Read them; what was raised that is no error of the core goes to standard output, one JSON line each."""
    from recitant_core.errors import RecitantError
    from recitant_core.measure.meter import MeterState, feed_meter, read_meter
    from recitant_io.media.channels import recorder_file
    from recitant_io.media.decode import open_here
    from recitant_io.media.probe import probe

    def too_slow(*_):
        raise TimeoutError(f"over {FILE_S} s")

    signal.signal(signal.SIGALRM, too_slow)
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    names = sorted(path.name for path in (folder / "seeds").iterdir())

    def measure(path):
        with open_here(path) as (facts, blocks):
            meter = MeterState.at_rest(facts.layout, facts.rate_hz)
            for block in blocks:
                meter = feed_meter(block, meter)
            read_meter(meter)

    for number in range(first, last):
        name, data = mutant(folder / "seeds", names, number)
        path = folder / f"mutant-{first}-{name}"
        path.write_bytes(data)
        print(json.dumps({"number": number, "name": name}), flush=True)
        for work in (probe, measure, recorder_file):
            signal.alarm(FILE_S)
            try:
                work(path)
            except RecitantError:
                continue
            except Exception as error:
                print(json.dumps({"number": number, "at": work.__name__, "raised": repr(error)}), flush=True)
        path.unlink()


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3]))
