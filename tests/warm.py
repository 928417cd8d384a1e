"""What every process of `./run test` would find out anew, found out once: what builds answer, and what devices here
can do. It goes to the folder that `OVRIK_TEST_SEED` names, which each process copies."""

import os
import shutil
import tempfile
from pathlib import Path

from ovrik.machine.builds.build import find_build, find_builds
from ovrik.machine.devices.probing import probe_builds
from ovrik.study.files.kept import cache_folder

if __name__ == "__main__":
    with tempfile.TemporaryDirectory(prefix="ovrik-warm-") as folder:
        os.environ["XDG_CACHE_HOME"] = folder
        find_builds()
        probe_builds([find_build("bundled")])
        seed = Path(os.environ["OVRIK_TEST_SEED"])
        shutil.copytree(cache_folder("trials"), seed / "trials")
        for found in cache_folder().glob("builds-*.json"):
            shutil.copy(found, seed)
