"""Change sets: the only way in which a network changes. Each is validated whole and knows its inverse.

A change set is a list of small acts. Applying it gives a new network and the change set that takes it back; undo, history and
proposals all lean on that.
"""

from northfell.core.model.changes.acts import (
    ACTS,
    Acknowledge,
    Act,
    Add,
    Attach,
    Change,
    Connect,
    Differ,
    Move,
    Propose,
    PutAcknowledged,
    PutCurves,
    PutEntry,
    PutProposal,
    PutProposals,
    PutRow,
    PutSetting,
    PutSettings,
    PutSheet,
    PutState,
    PutStates,
    Remove,
    Scale,
    Set,
    Switch,
    Unpropose,
    acts_of,
)
from northfell.core.model.changes.applying import apply_change, apply_completed, completed
from northfell.core.model.changes.setting_paths import KEPT_WHOLE, setting_at, setting_paths, settings_with

__all__ = [
    "ACTS", "Acknowledge", "Act", "Add", "Attach", "Change", "Connect", "Differ", "KEPT_WHOLE", "Move", "Propose", "PutAcknowledged", "PutCurves",
    "PutEntry", "PutProposal", "PutProposals", "PutRow", "PutSetting", "PutSettings", "PutSheet", "PutState", "PutStates", "Remove", "Scale", "Set", "Switch",
    "Unpropose", "acts_of", "apply_change", "apply_completed", "completed", "setting_at", "setting_paths", "settings_with",
]  # fmt: skip
