"""Writes docs/rules.md from the rules themselves."""

from pathlib import Path

from inkov.render.rules_page import rules_page
from inkov.rules.catalogue import RULES

if __name__ == "__main__":
    (Path(__file__).parents[1] / "docs" / "rules.md").write_text(rules_page(RULES.values()), "utf-8")
