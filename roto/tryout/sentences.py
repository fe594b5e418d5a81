"""A line of a tryout as a sentence: what is shown, through what, and what is done to it."""

from collections.abc import Mapping

from roto.tryout.model import Bars, Flat, Graphic, Light, Line, Words


def shown(line: Line) -> str:
    """What a line shows.

    >>> from roto.tryout.model import Clip
    >>> shown(Line(id="a", shows=Clip(shot="MILL_040", reversed=True)))
    'MILL_040, backwards'
    """
    shows = line.shows
    if isinstance(shows, Words):
        first = shows.text.strip().split("\n")[0]
        return f"the words “{first[:24]}{'…' if len(first) > 24 or chr(10) in shows.text.strip() else ''}”"
    if isinstance(shows, Flat):
        return f"a passage from {shows.colour} to {shows.to}" if shows.to else f"the colour {shows.colour}"
    if isinstance(shows, Bars):
        return f"bars that leave {shows.proportion:g} to 1"
    if isinstance(shows, Light):
        return "a band of light"
    if isinstance(shows, Graphic):
        return "a graphic"
    more = (
        [f"held on {shows.hold}"] if shows.hold is not None else ["backwards"] * shows.reversed + ["at its own speed"] * bool(shows.speed)
    )
    return ", ".join([shows.shot or "the plate", *more])


def sentence(line: Line, mattes: Mapping[str, str]) -> str:
    """The whole line. mattes: names by id.

    >>> from roto.tryout.model import Clip, Done, Through
    >>> sentence(Line(id="a", shows=Clip(), through=Through(matte="7", outside=True), done=Done(blocks=12)), {"7": "kite"})
    'the plate through the outside of kite, in blocks of 12 px'
    """
    parts = [shown(line)]
    if line.through is not None:
        name = mattes.get(line.through.matte, "a matte that is gone")
        parts[0] += f" through {'the outside of ' if line.through.outside else ''}{name}"
    place, done = line.place, line.done
    if place.keys or place.corners:
        parts.append("placed")
    parts += [{"sides": "mirrored left to right", "upright": "upside down"}[place.mirror]] if place.mirror else []
    parts += ["swung about an edge"] * (place.swing is not None) + ["riding on a track"] * bool(place.track)
    parts += [f"in blocks of {done.blocks} px"] * (done.blocks > 1) + [f"blurred by {done.blur:g} px"] * (done.blur > 0)
    parts += [f"as flat {done.flat}"] * bool(done.flat) + ["with a shadow"] * (done.shadow is not None) + ["as added light"] * done.added
    parts += [f"tinted {done.tint}"] * (done.tinted > 0)
    if line.live is not None:
        parts.append(f"from {line.live[0]} to {line.live[1]}")
    return ", ".join(parts)
