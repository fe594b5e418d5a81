"""One family of errors; the docstring's first line is the message, facts are attributes, the code is stable."""


class RotoError(Exception):
    """Something in the job could not be done."""

    code = "roto"

    def __init__(self, message: str = "", **facts: object) -> None:
        self.message = message or (self.__doc__ or "").strip().splitlines()[0]
        self.facts = facts
        super().__init__(self.message)


class BadGeometry(RotoError):
    """The outline holds a number that is not finite, or too few points."""

    code = "geometry.bad"


class BadKeys(RotoError):
    """The keys of a channel do not fit together."""

    code = "keys.bad"


class BadDocument(RotoError):
    """The shape document is not valid."""

    code = "document.bad"

    def __init__(self, path: str, why: str) -> None:
        super().__init__(f"{path}: {why}", path=path, why=why)
        self.path = path
        self.why = why


class BadPicture(RotoError):
    """The picture cannot be read."""

    code = "picture.bad"


class NotWritten(BadPicture):
    """The picture cannot be written."""

    code = "picture.not_written"


class BadUpload(RotoError):
    """What was given cannot become a plate."""

    code = "upload.bad"


class BadPackage(RotoError):
    """The package could not be written."""

    code = "package.bad"


class BadRecipe(RotoError):
    """The recipe asks for something that cannot be made."""

    code = "recipe.bad"

    def __init__(self, path: str, why: str) -> None:
        super().__init__(f"{path}: {why}", path=path, why=why)
        self.path = path
        self.why = why


class BadTryout(RotoError):
    """A tryout asks for something that cannot be shown."""

    code = "tryout.bad"

    def __init__(self, path: str, why: str) -> None:
        super().__init__(f"{path}: {why}", path=path, why=why)
        self.path = path
        self.why = why


class NoFringe(RotoError):
    """A fringe is solved from the plate, and there is no plate here to solve it from."""

    code = "fringe.no_plate"


class NoSource(RotoError):
    """The alpha of a line comes from elsewhere, and what it comes from is not here."""

    code = "line.no_source"


class BadTrack(RotoError):
    """The track cannot be used like that."""

    code = "track.bad"


class NothingToFollow(RotoError):
    """There is nothing to hold on to: the picture is flat there, or one straight edge. Choose a place with a corner or a texture."""

    code = "track.nothing"


class Cancelled(RotoError):
    """Stopped on request."""

    code = "cancelled"
