"""What a unit was built with beyond memory and drives, and buyers ask for."""

from sortis_core.vocabulary.term import Term


class Aspect(Term):
    """One thing that units of a model differ in from the maker."""

    PROCESSOR = "built_processor", "processor"
    BOARD = "built_board", "board variant"
    PANEL = "built_panel", "panel"
    KEYBOARD = "keyboard_language", "layout language"
    LIGHT = "keyboard_light", "keyboard light"
    RADIO = "built_radio", "radio"
    READERS = "built_readers", "readers"


class KeyboardLight(Term):
    """Whether the keys are lit from below."""

    LIT = "lit", "lit keyboard"
    UNLIT = "unlit", "unlit keyboard"


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


VALUES: dict[Aspect, type[Term]] = {
    Aspect.KEYBOARD: KeyboardLanguage,
    Aspect.LIGHT: KeyboardLight,
}
"""Aspects that are the same for all models; of the others the sheet says what there is."""
