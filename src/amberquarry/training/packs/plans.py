"""Which readers are trained for further scripts, and what is known of each script."""

from __future__ import annotations

from dataclasses import dataclass

from amberquarry.reading.ground import BASELINE_ROW
from amberquarry.values import Direction


@dataclass(frozen=True, slots=True)
class Script:
    """The letters of a script.

    blocks: first and last code points. body: letters of one height, without parts that rise or
    hang. of_body: what counts as the x-height, over the height of these: that of Latin letters set
    beside them. base: row of the base line in the net's picture, so that what rises and what hangs
    has room. measured: what a page's measure of lines gives, over that x-height. off_size,
    off_base: how far it is off: standard deviations, as a share and in rows
    (`benchmarks/packs.py`).
    """

    blocks: tuple[tuple[int, int], ...]
    body: str
    of_body: float = 1.0
    base: float = BASELINE_ROW
    measured: float = 1.0
    off_size: float = 0.07
    off_base: float = 0.9
    direction: Direction = Direction.LEFT_TO_RIGHT

    def has(self, sign: str) -> bool:
        """Return whether a sign belongs to the script."""
        return any(first <= ord(sign) <= last for first, last in self.blocks)


_ARABIC = ((0x600, 0x6FF), (0x750, 0x77F), (0x200C, 0x200C))
_HAN = ((0x3005, 0x3007), (0x3400, 0x4DBF), (0x4E00, 0x9FFF), (0xF900, 0xFAFF))
_WIDE = ((0x3000, 0x303F), (0xFF01, 0xFFEF))
_RIGHT = Direction.RIGHT_TO_LEFT
SCRIPTS = {
    "georgian": Script(((0x10D0, 0x10FF),), "აითნო"),
    "armenian": Script(((0x531, 0x58F),), "ասնոտւ"),
    "hebrew": Script(((0x591, 0x5F4),), "אבהחמםתר", 0.78, 29.0, 1.23, direction=_RIGHT),
    "thai": Script(((0xE01, 0xE5B),), "กคนบมพรสหอ", 0.9, 30.0, 1.1),
    "arabic": Script(_ARABIC, "ال", 0.68, 27.0, 0.87, 0.18, 2.4, _RIGHT),
    "devanagari": Script(
        ((0x900, 0x97F), (0x200C, 0x200D)), "कतनपमरलवस", 0.8, 29.0, 1.2, 0.09, 1.2
    ),
    "bengali": Script(((0x980, 0x9FF), (0x200C, 0x200D)), "কতনপমরলবস", 0.8, 29.0, 1.2, 0.09, 1.2),
    "tamil": Script(((0xB80, 0xBFF),), "கதபமலவன", 0.85, 29.0),
    "korean": Script(((0xAC00, 0xD7A3), (0x3131, 0x318E), *_WIDE), "가나다마바사", 0.54, 34.0),
    "japanese": Script(((0x3041, 0x30FF), *_HAN, *_WIDE), "国日本語中書", 0.54, 34.0),
    "simplified": Script((*_HAN, *_WIDE), "国日本语中书", 0.54, 34.0),
    "traditional": Script((*_HAN, *_WIDE), "國日本語中書", 0.54, 34.0),
}
SCRIPT_OF = {
    "ka": "georgian",
    "hy": "armenian",
    "he": "hebrew",
    "th": "thai",
    "ar": "arabic",
    "fa": "arabic",
    "hi": "devanagari",
    "bn": "bengali",
    "ta": "tamil",
    "ko": "korean",
    "ja": "japanese",
    "zh-Hans": "simplified",
    "zh-Hant": "traditional",
}


@dataclass(frozen=True, slots=True)
class Plan:
    """A reader that is trained: its languages, by how often they are met.

    extra: letters that it knows though its texts hold few or none of them.
    """

    name: str
    languages: dict[str, float]
    extra: str = ""
    direction: Direction = Direction.LEFT_TO_RIGHT


# Signs that stand in text of any script.
COMMON = "".join(map(chr, range(0x20, 0x7F))) + "«»“”„‘’‚‹›–—°§©®±×÷·•€£¥№†‡½¼¾²³¹™→←"
# Beyond Arabic and Persian: letters of Urdu and of names, and both sets of figures.
_URDU = "ٹڈڑںےۓہھۀئؤأإآةىكيیکگچپژ" + "٠١٢٣٤٥٦٧٨٩" + "۰۱۲۳۴۵۶۷۸۹" + "،؛؟٪٫٬ـًٌٍَُِّْٓٔ"
PLANS = {
    plan.name: plan
    for plan in (
        Plan("caucasian", {"ka": 1.0, "hy": 1.0}, "֏₾՜՟"),
        Plan("hebrew", {"he": 1.0}, "₪־׳״ֱֲֳׁׂ", _RIGHT),
        Plan("thai", {"th": 1.0}, "฿๐๑๒๓๔๕๖๗๘๙๏๚๛"),
        Plan("arabic", {"ar": 1.2, "fa": 0.8}, _URDU, _RIGHT),
        Plan("devanagari", {"hi": 1.0}, "₹०१२३४५६७८९ऑऍळऱॐ।॥"),
        Plan("bengali", {"bn": 1.0}, "৳০১২৩৪৫৬৭৮৯ৎ"),
        Plan("tamil", {"ta": 1.0}, "₹௧௨௩௪௫"),
        Plan("korean", {"ko": 1.0}, "₩"),
        Plan("han", {"ja": 1.0, "zh-Hans": 1.0, "zh-Hant": 0.7}),
    )
}
