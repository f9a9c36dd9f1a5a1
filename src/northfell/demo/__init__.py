"""The invented example networks."""

from northfell.demo.skerrow_water import skerrow_water

__all__ = ["skerrow_water"]
