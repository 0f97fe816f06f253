"""What the store keeps for an edition, and how two states differ, for those who may not ask the store themselves."""

from level_almanac.store.editions import damaged_parts, freeze_data, frozen_store, parts_in, writing
from level_almanac.store.line_changes import ChangedLine, changed_lines

__all__ = ["ChangedLine", "changed_lines", "damaged_parts", "freeze_data", "frozen_store", "parts_in", "writing"]
