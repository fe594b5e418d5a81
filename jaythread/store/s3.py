"""A store that speaks the S3 protocol, by django-storages and boto3: what several machines need of it, more than one file at a time."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from boto3.exceptions import Boto3Error
from botocore.config import Config
from botocore.exceptions import BotoCoreError, ClientError
from storages.backends.s3 import S3Storage

from jaythread.errors import StoreAway

MADE = "made"
"""what a file's own time is called beside it, in nanoseconds: by it a file at hand is known as the one that is there"""
GONE = ("404", "NoSuchKey", "NotFound")
PART = 1 << 20
"""bytes that are read from it at a time"""
AT_A_TIME = 1000
"""files that may be taken away in one request"""


@contextmanager
def _asked() -> Iterator[None]:
    """StoreAway, or FileNotFoundError, in place of what the library raises."""
    try:
        yield
    except ClientError as error:
        if error.response.get("Error", {}).get("Code") in GONE:
            raise FileNotFoundError(str(error)) from error
        raise StoreAway() from error
    except (BotoCoreError, Boto3Error) as error:
        raise StoreAway() from error


class SharedStore(S3Storage):  # type: ignore[misc]
    """Files of the house in a bucket, under a path. Names are paths from the folder of files. at: the store's address, where it is a
    house's own. Keys come from where every program of this kind looks for them (AWS_ACCESS_KEY_ID and so on)."""

    def __init__(self, bucket: str, under: str = "", at: str = "", region: str = "") -> None:
        config = Config(
            connect_timeout=5, read_timeout=30, retries={"mode": "standard", "max_attempts": 4}, max_pool_connections=32,
            s3={"addressing_style": "path" if at else "auto"},  # a store in the house seldom has a name for each bucket
        )  # fmt: skip
        super().__init__(
            bucket_name=bucket, location=under, endpoint_url=at or None, region_name=region or None, client_config=config,
            file_overwrite=True,
        )  # fmt: skip

    def _key(self, name: str) -> str:
        return str(self._normalize_name(name))

    def send(self, path: Path, name: str) -> None:
        """Put a file there, with its own time."""
        with _asked():
            extra = {"Metadata": {MADE: str(path.stat().st_mtime_ns)}}
            self.bucket.upload_file(str(path), self._key(name), ExtraArgs=extra)

    def fetch(self, name: str, path: Path) -> int | None:
        """Write what is there into a file; the time that it was made at. None where there is nothing."""
        try:
            with _asked():
                found = self.bucket.Object(self._key(name)).get()
                path.parent.mkdir(parents=True, exist_ok=True)
                with path.open("wb", buffering=0) as into:
                    for part in found["Body"].iter_chunks(PART):
                        into.write(part)
        except FileNotFoundError:
            return None
        if path.stat().st_size != found["ContentLength"]:
            raise StoreAway()
        return int(found["Metadata"].get(MADE, 0))

    def stream(self, name: str) -> tuple[IO[bytes], int]:
        """What is there, as it comes, and its size in bytes."""
        with _asked():
            found = self.bucket.Object(self._key(name)).get()
        return found["Body"], int(found["ContentLength"])

    def mark(self, name: str) -> tuple[int, int] | None:
        """Its size in bytes and the time that it was made at; None where there is nothing."""
        try:
            with _asked():
                it = self.bucket.Object(self._key(name))
                return int(it.content_length), int(it.metadata.get(MADE, 0))
        except FileNotFoundError:
            return None

    def sizes(self, begin: str) -> dict[str, int]:
        """The size of every file whose name begins so, by name."""
        under = self._key("x").removesuffix("x")
        with _asked():
            return {it.key.removeprefix(under): it.size for it in self.bucket.objects.filter(Prefix=f"{under}{begin}")}

    def try_out(self, name: str) -> None:
        """Put a small file there, read it and take it away. StoreAway where that cannot be done."""
        with _asked():
            it = self.bucket.Object(self._key(name))
            it.put(Body=name.encode())
            if it.get()["Body"].read() != name.encode():
                raise StoreAway()
            it.delete()

    def remove(self, names: Iterable[str]) -> None:
        """They go; those that are not there are gone already."""
        keys = [self._key(name) for name in names]
        with _asked():
            for at in range(0, len(keys), AT_A_TIME):
                self.bucket.delete_objects(Delete={"Objects": [{"Key": key} for key in keys[at : at + AT_A_TIME]], "Quiet": True})
