"""Days and support in words."""

from tallcheck.core.jobs.check import Support


def span(days: int) -> str:
    """Days in words that fit their number."""
    if days < 60:
        return f"{days} {'day' if days == 1 else 'days'}"
    months = round(days / 30.44)
    if months < 24:
        return f"{months} months"
    years, rest = divmod(months, 12)
    return f"{years} years" + (f" {rest} months" if rest else "")


def support_text(one: Support) -> str:
    """``Merrow 9, which runs now, is supported until 2028-01-31 (14 months from now)``."""
    which = f"{one.release}, which runs now," if one.running else one.release
    if one.days_left < 0:
        return f"{which} has had no support since {one.ends} ({span(-one.days_left)})"
    return f"{which} is supported until {one.ends} ({span(one.days_left)} from now)"
