"""Open a world, make some of it, and look at a few rows."""

from importlib.resources import files

import weltigen

world = weltigen.open_world(files("weltigen.demo") / "ferry.yaml")
dataset = world.dataset(seed=7, rows={"passenger": 500})

print(dataset.frame("vessel")[["name", "call_sign", "commissioned_on"]].head())
booking = dataset.row("booking", 41)
print(booking.label(), "of", booking.parent("passenger").label(), "on", booking.parent("sailing").label())
print("the dearest few:", [row.label() for row in dataset.find("booking", where="total > 100", limit=3)])
