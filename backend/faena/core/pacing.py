"""How often somebody may ask: a bucket that fills steadily and is emptied by one with each question."""

from dataclasses import dataclass


@dataclass(slots=True, kw_only=True)
class Bucket:
    """`most` questions at once, `per_s` more each second. Moments in seconds of any clock that only goes forward."""

    most: float
    per_s: float
    left: float
    at: float

    def wait_s(self, now: float) -> float:
        """0.0 when this question may be asked, and is counted; else the seconds until the next may."""
        self.left = min(self.most, self.left + max(now - self.at, 0.0) * self.per_s)
        self.at = max(now, self.at)
        if self.left >= 1.0:
            self.left -= 1.0
            return 0.0
        return (1.0 - self.left) / self.per_s
