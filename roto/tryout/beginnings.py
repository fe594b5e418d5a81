"""Ready beginnings: the uses that mattes are made for, each a sentence and a few ordinary lines."""

from collections.abc import Callable
from dataclasses import dataclass

from roto.motion.keys import Keys
from roto.motion.placement import values
from roto.tryout.model import Bars, Clip, Done, Flat, Key, Light, Line, Place, Shadow, Shows, Spot, Swing, Through, Words, channel_of


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """What a beginning knows of the shot. matte: its id. box: around the matte on the frame in hand, x0, y0, x1, y1 in px. other: another
    shot's name, "" where there is none. track: an id of one with two points and more, or ""."""

    size: tuple[int, int]
    frames: tuple[int, int]
    frame: int
    matte: str
    box: tuple[float, float, float, float]
    other: str = ""
    track: str = ""

    @property
    def foot(self) -> tuple[float, float]:
        """The middle of the lower side of the matte's box."""
        return (self.box[0] + self.box[2]) / 2, self.box[3]


Lines = list[Line]


def _line(at: int, shows: Shows | None = None, **more: object) -> Line:
    return Line(id=f"line {at}", shows=shows or Clip(), **more)  # type: ignore[arg-type]


def _ground(facts: Facts) -> Shows:
    return Clip(shot=facts.other) if facts.other else Flat(colour="#5d7f8c", to="#d9c7a3")


def _behind(facts: Facts) -> Lines:
    size = max(24.0, facts.size[1] / 5)
    return [_line(1), _line(2, Words(size=size)), _line(3, through=Through(matte=facts.matte))]


def _revealed(facts: Facts) -> Lines:
    return [_line(1), _line(2, _ground(facts), through=Through(matte=facts.matte))]


def _hidden(facts: Facts) -> Lines:
    side = max(8, round((facts.box[2] - facts.box[0]) / 8))
    return [_line(1), _line(2, through=Through(matte=facts.matte, grow=4, soften=4), done=Done(blocks=side))]


def _patched(facts: Facts) -> Lines:
    wide = facts.box[2] - facts.box[0]
    way = wide * 1.1 if facts.box[0] > wide else -wide * 1.1  # from the side that has room
    place = Place(keys=_keyed(facts, values((round(way), 0))))
    return [_line(1), _line(2, place=place, through=Through(matte=facts.matte, grow=3, soften=6))]


def _faded(facts: Facts) -> Lines:
    through = Through(matte=facts.matte)
    clean = Clip(hold=facts.frames[1])
    return [
        _line(1, clean),
        _line(2, through=Through(matte=facts.matte, outside=True)),
        _line(3, through=through, done=Done(opacity=_one(facts, 0.4))),
    ]


def _over_bars(facts: Facts) -> Lines:
    return [_line(1), _line(2, Bars()), _line(3, through=Through(matte=facts.matte))]


def _larger(facts: Facts) -> Lines:
    place = Place(pivot=facts.foot, keys=_keyed(facts, values(size=1.25)))
    away = max(4.0, facts.size[1] / 60)
    shadow = Shadow(away=away, blur=1.5 * away)
    return [_line(1), _line(2, through=Through(matte=facts.matte, along=True), place=place, done=Done(shadow=shadow))]


def _frozen(facts: Facts) -> Lines:
    still = Clip(hold=facts.frame)
    return [
        _line(1),
        _line(2, still, through=Through(matte=facts.matte, along=True), live=(facts.frames[0], max(facts.frames[0], facts.frame - 1))),
    ]


def _swung(facts: Facts) -> Lines:
    first, last = facts.frames
    angle = channel_of(Keys.build(sorted({first, last}), [[[0.0, 0.0]], [[80.0, 0.0]]][: 1 + (last > first)]))
    hinge = Swing(hinge=((0.0, 0.0), (0.0, float(facts.size[1]))), angle=angle)
    return [_line(1, _ground(facts)), _line(2, place=Place(swing=hinge, blur=True))]


def _light(facts: Facts) -> Lines:
    x0, y0, x1, y1 = facts.box
    wide, middle = x1 - x0, (y0 + y1) / 2
    ends = [Spot(at=(x0 - 0.4 * wide, middle - 0.2 * wide)), Spot(at=(x1 + 0.4 * wide, middle + 0.1 * wide))]
    if facts.track:
        ends = [Spot(track=facts.track, point=k) for k in (0, 1)]
    band = Light(one=ends[0], other=ends[1], core=facts.size[1] / 360, glow=facts.size[1] / 20)
    return [_line(1), _line(2, band, through=Through(matte=facts.matte, outside=True), done=Done(added=True))]


def _recoloured(facts: Facts) -> Lines:
    return [_line(1), _line(2, through=Through(matte=facts.matte), done=Done(tint="#3f7fb0", tinted=0.85))]


def _baked(facts: Facts) -> Lines:
    return [_line(1, Flat(colour="#8a8f93")), _line(2, through=Through(matte=facts.matte))]


def _keyed(facts: Facts, value: object) -> tuple[Key, ...]:
    return channel_of(Keys.build([facts.frames[0]], [value]))


def _one(facts: Facts, value: float) -> tuple[Key, ...]:
    return channel_of(Keys.build([facts.frames[0]], [[[value, 0.0]]]))


@dataclass(frozen=True, slots=True, kw_only=True)
class Beginning:
    """says: the sentence an artist chooses it by. asks: what to look at first. make: its lines."""

    key: str
    name: str
    says: str
    asks: str
    make: Callable[[Facts], Lines]


BEGINNINGS = {
    one.key: one
    for one in (
        Beginning(
            key="behind", name="words behind", says="Words stand behind the subject.",
            asks="Change the words; look at the edge where it crosses a letter.", make=_behind,
        ),
        Beginning(
            key="revealed", name="revealed", says="Something passes, and the next clip is there behind it.",
            asks="Choose the clip. The matte is what has been passed already.", make=_revealed,
        ),
        Beginning(
            key="hidden", name="hidden", says="A face, or a number, hides under blocks, a blur or a colour.",
            asks="Go through all frames: is it covered on each?", make=_hidden,
        ),
        Beginning(
            key="patched", name="patched", says="A place is patched with the picture from beside it, or of another frame.",
            asks="Drag the patch to where the ground suits.", make=_patched,
        ),
        Beginning(
            key="faded", name="faded", says="The subject fades, and what is behind shows through.",
            asks="Choose a frame on which the ground is clean.", make=_faded,
        ),
        Beginning(
            key="bars", name="over bars", says="The subject rises over the bars of a wider picture.",
            asks="Set the proportion; look at the edge over the bar.", make=_over_bars,
        ),
        Beginning(
            key="larger", name="larger", says="One part is larger, with a soft shadow.", asks="Put the pivot where it stands.",
            make=_larger,
        ),
        Beginning(
            key="frozen", name="frozen", says="A cut-out stands still while the picture goes on, until the subject reaches it.",
            asks="Go to the frame it is to be taken from, and begin there.", make=_frozen,
        ),
        Beginning(
            key="swung", name="like a door", says="The picture swings open about an edge, like a door.", asks="Lay the hinge.", make=_swung,
        ),
        Beginning(
            key="light", name="light behind", says="A band of light passes behind the subject.",
            asks="Put its ends where it runs, or on two points of a track.", make=_light,
        ),
        Beginning(
            key="recoloured", name="recoloured", says="The subject has another colour.", asks="Choose the colour, and how much of it.",
            make=_recoloured,
        ),
        Beginning(
            key="baked", name="flat ground", says="A flat colour stands behind, for places that read no alpha.",
            asks="Choose the colour that they take out.", make=_baked,
        ),
    )
}  # fmt: skip
