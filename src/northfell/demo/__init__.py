"""The invented example networks."""

from importlib import resources

from northfell.demo.skerrow_water import skerrow_water


def bracken_quay() -> bytes:
    """Bracken Quay as a network file; `tools/make_bracken_quay.py` builds it with the application's own means."""
    return (resources.files("northfell.demo") / "bracken_quay.northfell.json").read_bytes()


__all__ = ["bracken_quay", "skerrow_water"]
