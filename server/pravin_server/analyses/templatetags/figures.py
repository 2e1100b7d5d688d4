"""Numbers as the document writes them."""

from __future__ import annotations

from django import template

register = template.Library()


@register.filter
def count(number: int) -> str:
    """A count with digit grouping."""
    return f"{number:,}"


@register.filter
def measure(value: object) -> str:
    """A number with six digits, grouped; everything else as it is."""
    if value is None:
        return ""
    if isinstance(value, int):
        return f"{value:,}"
    return f"{value:,.6g}" if isinstance(value, float) else str(value)


@register.filter
def brief(value: float | None) -> str:
    """A number with three digits."""
    return "" if value is None else f"{value:.3g}"
