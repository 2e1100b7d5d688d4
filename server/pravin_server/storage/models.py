"""Files as rows: 1 MiB chunks in PostgreSQL."""

from __future__ import annotations

from django.db import models


class StoredFile(models.Model):
    """A file kept byte for byte. `size` in bytes; `sha256` of the whole."""

    name = models.CharField(max_length=400, unique=True)
    size = models.BigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, blank=True)
    created = models.DateTimeField(auto_now_add=True)


class Chunk(models.Model):
    """One piece of a file, in order of `seq` from 0."""

    file = models.ForeignKey(StoredFile, on_delete=models.CASCADE, related_name="chunks")
    seq = models.IntegerField()
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["file", "seq"], name="one_chunk_a_place")]
