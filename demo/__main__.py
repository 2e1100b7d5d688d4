"""Write the demo files: python -m demo OUT [--seed N]."""

import argparse
from pathlib import Path

from demo.catchment import write_catchment
from demo.field_samples import write_month
from demo.lab_results import write_harbour, write_north
from demo.sites import write_sites

parser = argparse.ArgumentParser(prog="python -m demo")
parser.add_argument("out", type=Path)
parser.add_argument("--seed", type=int, default=7)
options = parser.parse_args()
options.out.mkdir(parents=True, exist_ok=True)
write_sites(options.out, options.seed)
write_catchment(options.out, options.seed)
for month in (1, 2, 3):
    write_month(options.out, options.seed, 2024, month)
    write_north(options.out, options.seed, 2024, month, renamed=month == 3)
    write_harbour(options.out, options.seed, 2024, month)
