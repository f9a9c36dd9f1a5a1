"""Pictures of a feeder: its plan and its voltages against distance, linked."""
