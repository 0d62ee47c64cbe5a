"""The report of a delivery: as JSON data, and as one self-contained HTML page with every figure beside its limit."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from html import escape
from typing import Any, Final

from recitant_core.delivery.fitting.fit import FitState
from recitant_core.delivery.fitting.squash import is_squashed
from recitant_core.delivery.judging.figures import readings_data
from recitant_core.delivery.orders.orders import WantedFile
from recitant_core.delivery.orders.results import Delivered
from recitant_core.timeline.model import Plan
from recitant_core.units.clock import s_from_samples
from recitant_core.units.level import finite
from recitant_text.checks import verdict_shown
from recitant_text.fits import SQUASHED_WORDS, fit_sentence
from recitant_text.history import history_svg
from recitant_text.platforms import platform_rows
from recitant_text.quality_checks import check_sentence, fine_sentence, place_text
from recitant_text.sentences import gain_text, sentence, signed

_STYLE = """
:root{--paper:#f5f1e8;--sheet:#fbf9f3;--edge:#ddd5c4;--ink:#1f2430;--soft:#6a6658;--over:#c8321f;--within:#2d6a4f}
body{background:var(--paper);color:var(--ink);font:15px/1.5 "Public Sans",system-ui,sans-serif;margin:0;padding:2rem}
main{max-width:46rem;margin:auto}h1,h2{font-family:Fraunces,Georgia,serif;font-weight:600;margin:0 0 .2rem}
p{margin:.3rem 0 1rem}.soft{color:var(--soft)}
section{background:var(--sheet);border:1px solid var(--edge);border-radius:6px;padding:1.2rem 1.4rem;margin:1.2rem 0}
table{border-collapse:collapse;width:100%;font-variant-numeric:tabular-nums}
th,td{text-align:left;padding:.3rem .5rem;border-bottom:1px solid var(--edge)}
td.n,th.n{text-align:right;font-family:"Spline Sans Mono",ui-monospace,monospace}
.pass{color:var(--within)}.fail{color:var(--over)}.state{font-weight:600;white-space:nowrap}.form{white-space:nowrap}
figure{margin:.6rem 0 1rem}figcaption{font-size:.82em}
@media print{body{background:#fff;padding:0;font-size:9.5pt}main{max-width:none}
section{border:0;padding:0;background:#fff}
section+section{break-before:auto}section.delivery{break-after:page}section.delivery:last-child{break-after:auto}
tr{break-inside:avoid}h2{break-after:avoid}th,td{padding:.14rem .4rem}}
"""
_STATES = {
    "pass": ("pass", "✓ passes"),
    "fail": ("fail", "▲ fails"),
    "reported": ("soft", "reported"),
    "squashed": ("soft", f"◆ {SQUASHED_WORDS}"),
}

_CHECK_CSS: Final = {"remark": "soft", "wrong": "fail"}
_CHECK_SIGNS: Final = {"remark": "◆", "wrong": "▲"}

KIND_WORDS: Final = {
    "mix": "mix",
    "stems": "stems, one file each",
    "m-and-e": "music and effects",
    "without-narration": "mix without narration",
    "film": "the film with this mix",
}
SHORT_KIND_WORDS: Final = {
    "mix": "mix",
    "stems": "stems",
    "m-and-e": "M&E",
    "without-narration": "no narr.",
    "film": "film",
}
"""For the heads of narrow columns."""


def mix_as(codec: str) -> str:
    """Words on the mix in a coded file."""
    return f"the mix as {codec}"


def report_files(plan: Plan, done: Sequence[Delivered], more: Mapping[str, Any]) -> dict[str, str]:
    """report.json and report.html of a delivery, by file name.

    Args:
        more: what the report says beside the deliveries, such as speech, ducking and clearance.
    """
    report = report_data(plan, done) | dict(more)
    return {"report.json": json.dumps(report, indent=2), "report.html": report_html(report)}


def report_data(plan: Plan, done: Sequence[Delivered]) -> dict[str, Any]:
    """The report as JSON data: null where there is no value."""
    untouched = done[0].fit.untouched
    return {
        "report": 1,
        "title": plan.title,
        "duration_s": s_from_samples(plan.span.length_samples),
        "frame_rate": plan.frame_rate,
        "before": readings_data(untouched.readings),
        "programme_gain_db": plan.programme_gain_db,
        "stems": [role.value for role in plan.roles],
        "out_of_mix": out_of_mix(plan),
        "deliveries": [_delivery_data(delivered) for delivered in done],
    }


def out_of_mix(plan: Plan) -> list[str]:
    """Names of tracks and clips that are in the programme and in no file."""
    tracks = [track.name for track in plan.tracks if track.is_out]
    clips = [f"{clip.name} ({t.name})" for t in plan.tracks if not t.is_out for clip in t.clips if clip.is_out]
    return tracks + clips


def _delivery_data(delivered: Delivered) -> dict[str, Any]:
    found, spec = delivered.fit, delivered.fit.spec
    return {
        "spec": spec.spec_id,
        "name": spec.name,
        "source": spec.source + (" (figures from memory)" if spec.is_from_memory else ""),
        "note": spec.note,
        "passes": delivered.verdict.is_passed,
        "reached": found.state is FitState.REACHED,
        "state": found.state.value,
        "explanation": fit_sentence(found),
        "measured_on": delivered.verdict.anchor.value,
        "gain_db": finite(found.trial.master.gain_db),
        "ceiling_dbtp": found.trial.master.ceiling_dbtp,
        "most_limiting_db": finite(found.trial.most_reduction_db),
        "limited_share": found.trial.limited_share,
        "squashed": delivered.verdict.is_passed
        and is_squashed(found.trial.most_reduction_db, found.trial.limited_share),
        "range_lost_lu": finite(found.range_lost_lu),
        "figures": verdict_shown(delivered.verdict),
        **readings_data(delivered.readings),
        "files": [asdict(file) for file in delivered.files],
        "missed": [{"word": one.name, "file": one.file, "sentence": sentence(one.error)} for one in delivered.missed],
        "history": None if delivered.history is None else asdict(delivered.history),
        "heard": [asdict(one) for one in delivered.heard],
        "heard_as_balanced": [asdict(one) for one in delivered.heard_as_balanced],
        "looks": [asdict(found) for found in delivered.quality_checks],
    }


def report_html(report: dict[str, Any]) -> str:
    """The page for a report made by report_data."""
    title = escape(report["title"]) or "Untitled"
    minutes, seconds = divmod(report["duration_s"], 60)
    before = report["before"]
    head = (
        f"<h1>{title}</h1><p class=soft>Loudness report · {int(minutes)} min {seconds:04.1f} s · "
        f"{escape(report['frame_rate'])} frames a second · as balanced {signed(before['integrated_lufs'])} LUFS, "
        f"range {signed(before['range_lu'])} LU, true peak {signed(before['true_peak_dbtp'])} dBTP{_origin(report)}</p>"
    )
    out = report["out_of_mix"]
    left = f"<p>Out of the mix, and in no file: {escape(', '.join(out))}.</p>" if out else ""
    body = left + "".join(_section(delivery, report) for delivery in report["deliveries"]) + _balance(report)
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{title}: loudness report</title>'
        f'<link rel="icon" href="data:,"><style>{_STYLE}</style></head><body><main>{head}{body}'
        "<p class=soft>Made by Recitant. Loudness after ITU-R BS.1770 and EBU Tech 3341 and 3342, on the samples in "
        "the file. The figures also stand in report.json.</p></main></body></html>"
    )


def _origin(report: dict[str, Any]) -> str:
    words = [f"version {report['version']}"] if report.get("version") else []
    if report.get("made_at"):
        words.append(f"handed over {report['made_at']}")
    if report.get("made_by"):
        words.append(f"by {report['made_by']}")
    text = ", ".join(words)
    return f"<br>{escape(text[:1].upper() + text[1:])}" if words else ""


def _balance(report: dict[str, Any]) -> str:
    if "clearance" not in report:
        return ""
    clearance = report["clearance"]
    rows = "".join(
        f"<tr><td class=n>{start:.2f} s<td class=n>{end:.2f} s<td class=n>{signed(least)}</tr>"
        for start, end, least in clearance["close_passages"]
    )
    close = (
        "<table><thead><tr><th class=n>from<th class=n>to<th class=n>least, LU</tr></thead>"
        f"<tbody>{rows}</tbody></table>"
        if rows
        else "<p>No passage is closer.</p>"
    )
    actions = "".join(
        f"<tr><td>{escape(action['title'])}<td>{escape(action['measured_words'])}"
        f"<td>{escape('; '.join(action['changed_words']) or 'nothing changed')}</tr>"
        for action in report["actions"]
    )
    steps = (
        f"<section><h2>First balance</h2><table><thead><tr><th>step<th>measured<th>changed</tr></thead>"
        f"<tbody>{actions}</tbody></table></section>"
        if actions
        else ""
    )
    return (
        f"<section><h2>Clearance</h2><p>Speech {100 * report['speech_share']:.0f} % of the time, dialogue "
        f"{signed(report['dialogue_speech_lufs'])} LUFS while it sounds; {clearance['asked_lu']:g} LU asked for.</p>"
        f"{close}</section>{_lost(report)}{_standing(report)}{steps}"
    )


def _lost(report: dict[str, Any]) -> str:
    found = report.get("words_lost")
    if not found:
        return ""
    rows = "".join(
        f"<tr><td class=n>{place['start_s']:.2f} s<td>{escape(place['text'])}<td>{escape(place['heard_as'])}</tr>"
        for place in found["places"]
    )
    table = f"<table><thead><tr><th class=n>at<th>words<th>heard as</tr></thead><tbody>{rows}</tbody></table>"
    aid = "Heard by a model on the dialogue alone and in the mix: an aid, not a measurement of people."
    words = f"<p>{escape(found['sentence'])} {aid}</p>"
    return f"<section><h2>Words lost in the mix</h2>{words}{table if rows else ''}</section>"


def _standing(report: dict[str, Any]) -> str:
    found = report.get("judgement")
    if not found:
        return ""
    rows = "".join(
        f"<tr><td>{escape(role)}<td class=n>{signed(stem['depth_db'])}<td class=n>{signed(stem['travel_db_per_min'])}"
        f"<td class=n>{signed(stem['lift_db'])}<td>{stem['feel']}</tr>"
        for role, stem in found["stems"].items()
    )
    words = []
    if found["phrase_sd_lu"] is not None:
        furthest = signed(found["phrase_worst_lu"])
        words.append(
            f"{found['phrases']} phrases lie within {signed(found['phrase_sd_lu'])} LU, the furthest {furthest}"
        )
    if found["clear_share"] is not None:
        words.append(f"speech stands 7 LU clear for {100 * found['clear_share']:.1f} % of its time")
        words.append(f"4 LU for {100 * found['least_clear_share']:.1f} %")
    return (
        f"<section><h2>How the balance stands</h2><p>{'; '.join(words) or 'Nobody speaks'}.</p>"
        "<table><thead><tr><th>stem"
        "<th class=n>dips, dB<th class=n>moves, dB a minute<th class=n>highest lift, dB<th>feel</tr></thead>"
        f"<tbody>{rows}</tbody></table></section>"
    )


def _section(delivery: dict[str, Any], report: dict[str, Any]) -> str:
    css, words = _STATES["squashed" if delivery["squashed"] else "pass" if delivery["passes"] else "fail"]
    rows = "".join(_row(figure) for figure in delivery["figures"])
    files = "".join(_file_row(file) for file in delivery["files"])
    note = f"<p class=soft>{escape(delivery['note'])}</p>" if delivery["note"] else ""
    return (
        f"<section class=delivery><h2>{escape(delivery['name'])} <span class='state {css}'>{words}</span></h2>"
        f"<p>{escape(delivery['explanation'])}</p>{note}{_curve(delivery, report)}"
        "<table><thead><tr><th>figure<th class=n>measured<th class=n>limit<th>unit<th>state</tr></thead>"
        f"<tbody>{rows}</tbody></table><p></p>"
        f"<table><thead><tr><th>file, SHA-256 begins<th>holds<th>form<th>played back</tr></thead>"
        f"<tbody>{files}</tbody></table>{_missed(delivery)}{_codec_words(delivery['files'])}{_quality_checks(delivery['looks'])}{_heard(delivery)}"
        f"<p class=soft>Source: {escape(delivery['source'])}. Gain {gain_text(delivery['gain_db'])} dB.</p></section>"
    )


def _curve(delivery: dict[str, Any], report: dict[str, Any]) -> str:
    found = delivery["history"]
    if not found or not found["short_term_lufs"]:
        return ""
    target = next(figure for figure in delivery["figures"] if figure["low"] is not None)
    close = report["clearance"]["close_passages"] if "clearance" in report else ()
    words = ["The curve is the loudness of 3 s; the band is what the whole must lie in"]
    if any(found["limited_db"]):
        words.append("bars at the top: the last limiter works")
    if close:
        words.append("bars at the foot: speech is close to the rest")
    svg = history_svg(found, target["low"], target["high"], close)
    return f"<figure>{svg}<figcaption class=soft>{'; '.join(words)}.</figcaption></figure>"


def _quality_checks(checks: list[dict[str, Any]]) -> str:
    rows = "".join(
        f"<tr><td class='state {_CHECK_CSS[found['state']]}'>{_CHECK_SIGNS[found['state']]}<td>{escape(found['file'])}"
        f"<td>{escape(check_sentence(found))}<td class=n>{place_text(found['at_s'])}</tr>"
        for found in checks
        if found["state"] != "fine"
    )
    head = "<th><span class=soft>state</span><th>file<th>worth listening to<th class=n>at"
    table = f"<table><thead><tr>{head}</tr></thead><tbody>{rows}</tbody></table>" if rows else ""
    fine = fine_sentence(checks)
    return f"<p></p>{table}<p>{fine}</p>" if checks else ""


def _missed(delivery: dict[str, Any]) -> str:
    return "".join(
        f"<p class=fail>▲ {escape(one['file'])} could not be made: {escape(one['sentence'])}</p>"
        for one in delivery["missed"]
    )


def _heard(delivery: dict[str, Any]) -> str:
    rows = "".join(
        f"<tr><td>{name}<td>{words}<td class=soft>{before}</tr>"
        for name, words, before in platform_rows(delivery["heard"], delivery["heard_as_balanced"])
    )
    head = "<th>what viewers hear on<th>this delivery<th>the mix as balanced"
    return f"<table><thead><tr>{head}</tr></thead><tbody>{rows}</tbody></table>" if rows else ""


def _file_row(file: dict[str, Any]) -> str:
    played = file["decoded"]
    back = (
        f"{signed(played['integrated_lufs'])} LUFS, {signed(played['true_peak_dbtp'])} dBTP" if played else "as written"
    )
    return (
        f"<tr><td>{escape(file['file'])}<br><small class=soft>{file['sha256'][:16]}</small></td>"
        f"<td>{escape(file['role'] or KIND_WORDS.get(file['kind'], file['kind']))}</td>"
        f"<td class=form>{_form(file)}</td><td>{back}</td></tr>"
    )


def _form(file: dict[str, Any]) -> str:
    words = [file["codec"].upper()]
    if file["bit_depth"] is not None:
        words.append("32 bit float" if file["bit_depth"] == 32 else f"{file['bit_depth']} bit")
    return ", ".join([*words, f"{file['rate_hz'] / 1_000:g} kHz"])


def _codec_words(files: list[dict[str, Any]]) -> str:
    words = "".join(
        f"<li>{escape(file['file'])}: {escape(decoded_sentence(file['decoded']))}" for file in files if file["decoded"]
    )
    return f"<p>Files made from the mix, played back and measured:</p><ul>{words}</ul>" if words else ""


FILM_TRACK_WORDS = {
    "stems": "stems as tracks of the film",
    "original": "the sound that came with the picture",
    "captions": "captions",
}


def form_of_file(file: WantedFile) -> str:
    """Bit rate of a compressed file or tracks of a film, in words; empty where nothing was asked."""
    if file.film_tracks:
        return ", ".join(FILM_TRACK_WORDS[track] for track in file.film_tracks)
    return f"{file.rate_kbps} kbit/s" if file.rate_kbps else ""


def decoded_sentence(played: Mapping[str, Any]) -> str:
    """Sentence on a compressed file as it plays back, and on what it took to keep its ceiling."""
    found = [f"{signed(played['integrated_lufs'])} LUFS, true peak {signed(played['true_peak_dbtp'])} dBTP"]
    if played["level_lost_lu"] is not None and abs(played["level_lost_lu"]) >= 0.05:
        quieter = "quieter" if played["level_lost_lu"] > 0.0 else "louder"
        found.append(f"{signed(abs(played['level_lost_lu']), 2)} LU {quieter} than what went in")
    if played["ceiling_lowered_db"] > 0.005:
        found.append(
            f"its peaks are limited {signed(played['ceiling_lowered_db'], 2)} dB lower so that the ceiling holds"
        )
    if abs(played["gain_changed_db"]) > 0.005:
        found.append(f"gain {gain_text(played['gain_changed_db'])} dB")
    if played["clipped_samples"]:
        found.append(f"{played['clipped_samples']} samples beyond full scale")
    if played["shift_samples"]:
        late = "late" if played["shift_samples"] > 0 else "early"
        usual = played["shift_samples"] == played.get("shift_of_codec_samples")
        found.append(f"{abs(played['shift_samples'])} samples {late}" + (", as in every decoder" if usual else ""))
    return "; ".join(found) + ("." if played["passes"] else "; it does not pass.")


def _row(figure: dict[str, Any]) -> str:
    css, words = _STATES[figure["state"]]
    if figure["state"] == "fail" and figure["miss"]:
        direction = "over" if figure["miss"] > 0 else "under"
        words = f"▲ {signed(abs(figure['miss']), 2)} {direction}"
    return (
        f"<tr><td>{escape(figure['name'])}</td><td class=n>{signed(figure['measured'], 2)}</td>"
        f"<td class=n>{limit_text(figure['low'], figure['high'])}</td><td>{escape(figure['unit'])}</td>"
        f"<td class='state {css}'>{words}</td></tr>"
    )


def limit_text(low: float | None, high: float | None) -> str:
    """A limit as it is read: between, at most, or none.

    >>> limit_text(None, -1.0)
    'at most −1.0'
    """
    if low is not None and high is not None:
        return f"{signed(low)} to {signed(high)}"
    return f"at most {signed(high)}" if high is not None else "–"
