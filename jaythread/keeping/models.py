"""What a production keeps, and what its files take."""

from django.db import models

from jaythread.productions.models import Production

GB = 10**9


class Housekeeping(models.Model):
    """One row a production. keep: of each matte so many packages keep their files, all where nothing is said. warn_at: GB at which its
    leads are told. plates, packages, others: bytes, when they were measured. told: whether the leads were told that it is full."""

    production = models.OneToOneField(Production, models.CASCADE, related_name="housekeeping")
    keep = models.PositiveSmallIntegerField(null=True, blank=True)
    warn_at = models.PositiveIntegerField(null=True, blank=True)
    plates = models.PositiveBigIntegerField(default=0)
    packages = models.PositiveBigIntegerField(default=0)
    others = models.PositiveBigIntegerField(default=0)
    measured = models.DateTimeField(null=True)
    told = models.BooleanField(default=False)

    def __str__(self) -> str:
        return f"what {self.production} keeps"

    @property
    def total(self) -> int:
        """Bytes of all of it."""
        return self.plates + self.packages + self.others

    @property
    def over(self) -> bool:
        """Whether it is at what its leads want to be told of."""
        return self.warn_at is not None and self.total >= self.warn_at * GB
