"""The Network stage: what the network is made of, drawn and filled in."""

from northfell.web.shell.geometry import geometry_section
from northfell.web.shell.stage import Stage, Tab
from northfell.web.stages.network.drawing import router
from northfell.web.stages.network.ledger import assumed_table, elements_table, history_table
from northfell.web.stages.network.tray import tray_of

NETWORK_STAGE = Stage(
    path="network", name="Network", shortcut="n",
    tabs=(Tab("elements", "Elements", elements_table), Tab("assumed", "Assumed values", assumed_table), Tab("history", "History", history_table)),
    figures=lambda look, element: geometry_section(look.network, element), routers=(router,),
    says=lambda look: {"tray": tray_of(look.network.settings.drawing.symbols)},
    tools="stages/network/_tools.html", beside="stages/network/_tray.html", acts="stages/network/_acts.html", card="stages/network/_card.html",
)  # fmt: skip
