"""A page asks for all modules of its script at once."""

import re
from pathlib import Path

from django.test import SimpleTestCase, override_settings

from enlace.site.templatetags.modules import imported, module
from tests.web.pages import PLAIN_FILES

ROOT = Path(__file__).resolve().parents[2]


@override_settings(STORAGES=PLAIN_FILES)
class Modules(SimpleTestCase):
    def test_all_scripts_of_a_page_are_asked_for_at_once(self):
        """What `modules.imported` finds is all that a module names, at whatever place of its text."""
        static = ROOT / "enlace/site/static"
        kinds = [f"controls/{path.stem}" for path in sorted((static / "enlace/controls").glob("*.js"))]
        for script in ("desk", "composer", "sheet", "query", "map", "action", "bringin", *kinds):
            left, known = [static / f"enlace/{script}.js"], set()
            while left:
                path = left.pop()
                for name in re.findall(r'\b(?:from|import) "(\.[^"]+)"', path.read_text()):
                    if (other := (path.parent / name).resolve()) not in known:
                        known.add(other)
                        left.append(other)
            self.assertEqual({(static / name).resolve() for name in imported(f"enlace/{script}.js")}, known)
            self.assertEqual(str(module(f"enlace/{script}.js")).count("modulepreload"), len(known))
