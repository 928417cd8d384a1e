"""What pyproject.toml can't say: the documents of docs/ go into the package, where the Help menu reads them."""

import shutil
from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py


class WithDocuments(build_py):
    """Copies them in; an editable installation reads them where they are."""

    def run(self) -> None:
        """Build, then copy."""
        super().run()
        if self.editable_mode:
            return
        into = Path(self.build_lib) / "ovrik" / "help"
        into.mkdir(parents=True, exist_ok=True)
        for document in (Path(__file__).parent / "docs").glob("*.md"):
            shutil.copy(document, into)


setup(cmdclass={"build_py": WithDocuments})
