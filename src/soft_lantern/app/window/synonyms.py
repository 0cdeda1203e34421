"""Words that people try for what commands are called otherwise."""

from __future__ import annotations

ALSO: dict[str, tuple[str, ...]] = {
    "ab": ("compare", "try on"),
    "arrange": ("tidy", "align"),
    "begin": ("start page", "tour"),
    "chance": ("pick",),
    "connect": ("wire",),
    "copy": ("duplicate",),
    "cut": ("delete",),
    "error": ("notices",),
    "fit": ("frame",),
    "font": ("settings",),
    "fullscreen": ("large stage",),
    "grey": ("undress",),
    "help": ("manual", "tour", "commands"),
    "history": ("earlier states", "undo"),
    "link": ("wire",),
    "material": ("instance",),
    "maximise": ("large stage",),
    "mistake": ("notices",),
    "node": ("slip",),
    "learn": ("tour",),
    "light": ("sky", "sun", "exposure"),
    "options": ("settings",),
    "part": ("instance on this part", "each part", "undress", "wear"),
    "picture": ("save pictures", "contact sheet"),
    "preferences": ("settings",),
    "preview": ("stage",),
    "problem": ("notices",),
    "recent": ("start page",),
    "random": ("vary", "pick"),
    "remove": ("delete", "undress"),
    "rotate": ("turn",),
    "sun": ("sky and light",),
    "spread": ("scatter",),
    "screenshot": ("save pictures",),
    "shortcut": ("commands", "settings"),
    "style": ("theme",),
    "texture": ("load an image",),
    "tutorial": ("tour",),
    "variant": ("instance",),
    "warning": ("notices",),
    "wear": ("instance on this part", "each part", "undress", "try on"),
    "zoom": ("frame", "fit"),
}
"""By a word that is typed, what the names of commands hold that it may mean."""


def means(typed: str, name: str) -> bool:
    """Whether a typed word may mean a command of that name, both in lower case."""
    if typed in name:
        return True
    meant = (others for word, others in ALSO.items() if (len(typed) > 2 and word.startswith(typed)) or word == typed)
    return any(other in name for others in meant for other in others)
