"""What a unit was built with beyond memory and drives, and buyers ask for."""

from sortis_core.vocabulary.term import Term


class Aspect(Term):
    """One thing that units of a model differ in from the maker."""

    KEYBOARD = "keyboard_language", "layout language"


class KeyboardLanguage(Term):
    """Language of the letters on a keyboard, by its two letters of ISO 639-1."""

    CS = "cs", "Czech"
    DA = "da", "Danish"
    DE = "de", "German"
    EL = "el", "Greek"
    EN = "en", "English"
    ES = "es", "Spanish"
    ET = "et", "Estonian"
    FI = "fi", "Finnish"
    FR = "fr", "French"
    HE = "he", "Hebrew"
    HU = "hu", "Hungarian"
    IS = "is", "Icelandic"
    IT = "it", "Italian"
    LT = "lt", "Lithuanian"
    LV = "lv", "Latvian"
    NL = "nl", "Dutch"
    NO = "no", "Norwegian"
    PL = "pl", "Polish"
    PT = "pt", "Portuguese"
    RO = "ro", "Romanian"
    SK = "sk", "Slovak"
    SL = "sl", "Slovene"
    SV = "sv", "Swedish"
    TR = "tr", "Turkish"
    UK = "uk", "Ukrainian"


VALUES: dict[Aspect, type[Term]] = {Aspect.KEYBOARD: KeyboardLanguage}
"""What each aspect may be."""


def value_label(aspect: Aspect, code: str) -> str:
    """What people call a value of an aspect."""
    return VALUES[aspect](code).label
