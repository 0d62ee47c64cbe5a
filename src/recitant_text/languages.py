"""Languages that people speak, by their code, as a list to choose from."""

from typing import Final

LANGUAGES: Final = {
    "af": "Afrikaans", "ar": "Arabic", "az": "Azerbaijani", "be": "Belarusian", "bg": "Bulgarian", "bn": "Bengali",
    "bs": "Bosnian", "ca": "Catalan", "cs": "Czech", "cy": "Welsh", "da": "Danish", "de": "German", "el": "Greek",
    "en": "English", "es": "Spanish", "et": "Estonian", "eu": "Basque", "fa": "Persian", "fi": "Finnish",
    "fr": "French", "gl": "Galician", "he": "Hebrew", "hi": "Hindi", "hr": "Croatian", "hu": "Hungarian",
    "hy": "Armenian", "id": "Indonesian", "is": "Icelandic", "it": "Italian", "ja": "Japanese", "ka": "Georgian",
    "kk": "Kazakh", "ko": "Korean", "lt": "Lithuanian", "lv": "Latvian", "mi": "Maori", "mk": "Macedonian",
    "mr": "Marathi", "ms": "Malay", "mt": "Maltese", "ne": "Nepali", "nl": "Dutch", "no": "Norwegian",
    "pl": "Polish", "pt": "Portuguese", "ro": "Romanian", "ru": "Russian", "sk": "Slovak", "sl": "Slovenian",
    "sq": "Albanian", "sr": "Serbian", "sv": "Swedish", "sw": "Swahili", "ta": "Tamil", "th": "Thai",
    "tl": "Tagalog", "tr": "Turkish", "uk": "Ukrainian", "ur": "Urdu", "vi": "Vietnamese", "yi": "Yiddish",
    "zh": "Chinese",
}  # fmt: skip
"""Names in English by ISO 639-1 code."""


def language_choices(chosen: str = "") -> list[tuple[str, str]]:
    """Codes and names to choose from, by name; a code that is set and not listed is among them."""
    rows = sorted(LANGUAGES.items(), key=lambda row: row[1])
    return rows if not chosen or chosen in LANGUAGES else [*rows, (chosen, chosen)]
