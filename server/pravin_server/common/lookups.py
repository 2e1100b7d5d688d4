"""Lookups of the ORM that it lacks."""

from __future__ import annotations

from typing import Any

from django.db.models import BigAutoField, ForeignKey, Lookup


@BigAutoField.register_lookup
@ForeignKey.register_lookup
class Among(Lookup):  # type: ignore[type-arg]  # generic for the type checker only
    """`pk__among=[...]`: as `in`, but the ids are one parameter, an array. Thousands of parameters take longer than the query."""

    lookup_name = "among"
    prepare_rhs = False

    def as_sql(self, compiler: Any, connection: Any) -> tuple[str, tuple[Any, ...]]:
        column, parameters = self.process_lhs(compiler, connection)
        return f"{column} = ANY(%s)", (*parameters, list(self.rhs))
