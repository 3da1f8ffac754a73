"""Tell all anew: `python -m metrology.tests.as_judged [name ...]`."""

import sys
import time

from metrology.tests.as_judged.cases import JUDGED
from metrology.tests.as_judged.told_anew import raise_version, write

for name in sys.argv[1:] or JUDGED:
    at = time.perf_counter()
    print(f"{name:<16}{write(name):>6} cases  {time.perf_counter() - at:5.1f} s", flush=True)
print(f"The core is {raise_version()}.")
