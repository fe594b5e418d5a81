"""How the bench can be told to misbehave, so that senders can be shown to cope."""

import threading
import time

KINDS = {
    "none": "all is well",
    "slow": "every piece takes a second and a half",
    "breaking off": "takes half of a piece, then gives up",
    "full": "has no room for more",
    "losing a file": "forgets a file after all was sent",
    "refusing": "takes nothing from this sender",
}


class Trouble:
    """One kind of trouble, for so many times; then all is well again."""

    def __init__(self) -> None:
        self.kind, self.left, self.lock = "none", 0, threading.Lock()

    def set(self, kind: str, times: int) -> None:
        with self.lock:
            self.kind, self.left = (kind, times) if times > 0 and kind in KINDS else ("none", 0)

    def strikes(self, kind: str) -> bool:
        """Whether this is what happens now; counts down."""
        with self.lock:
            if self.kind != kind or self.left <= 0:
                return False
            self.left -= 1
            if self.left == 0:
                self.kind = "none"
        if kind == "slow":
            time.sleep(1.5)
        return True
