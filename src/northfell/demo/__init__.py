"""The invented example networks."""

from importlib import resources

from northfell.demo.skerrow_water import skerrow_water


def bracken_quay() -> bytes:
    """Bracken Quay as a network file; `tools/make_bracken_quay.py` builds it with the application's own means."""
    return (resources.files("northfell.demo") / "bracken_quay.northfell.json").read_bytes()


def ellerdale() -> bytes:
    """Ellerdale feeder as a network file; `tools/make_ellerdale.py` builds it."""
    return (resources.files("northfell.demo") / "ellerdale.northfell.json").read_bytes()


__all__ = ["bracken_quay", "ellerdale", "skerrow_water"]
