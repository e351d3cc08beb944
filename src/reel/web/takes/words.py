"""The words that takes are found by: a table of SQLite's full-text search."""

from django.db import models
from django.db.backends.base.base import BaseDatabaseWrapper
from django.db.models.sql.compiler import SQLCompiler

# As many letters in a row are indexed.
INDEXED_LETTERS = 3


class TakeWords(models.Model):
    """The words that a take, of the same number, is found by: a table of SQLite's full-text search (FTS5, trigram)."""

    id = models.BigIntegerField(primary_key=True, db_column="rowid")
    words = models.TextField()

    class Meta:
        app_label = "takes"
        managed = False
        db_table = "takes_words"

    def __str__(self) -> str:
        return self.words


@models.TextField.register_lookup
class Has(models.Lookup):
    """Whether a text of a full-text table has some letters in it."""

    lookup_name = "has"

    def as_sql(self, compiler: SQLCompiler, connection: BaseDatabaseWrapper) -> tuple[str, tuple[str | int, ...]]:
        left, left_params = self.process_lhs(compiler, connection)
        _, params = self.process_rhs(compiler, connection)
        quoted = str(params[0]).replace('"', '""')
        return f"{left} MATCH %s", (*left_params, f'"{quoted}"')
