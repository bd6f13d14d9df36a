"""Colours and sizes that all pictures and pages share."""

INK, MUTED, RULE, PAPER = "#1f2328", "#5b6470", "#d5d9df", "#fbfbf8"
ANSWER_INK = {
    "ready": "#2f7d4f", "memory-alone": "#3b6fb6", "memory-plus": "#8a6fc0",
    "not-memory": "#b7791f", "replace": "#b3382c", "undecided": "#7a828c",
}  # fmt: skip
STATUS_INK = {"met": "#2f7d4f", "short": "#b3382c", "unknown": "#7a828c"}
