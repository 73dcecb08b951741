"""Keeps the kits that come with Gremio as files."""

from gremio.demo import KITS
from gremio.demo.kits import ALL

if __name__ == "__main__":
    for make in ALL:
        print(make().keep(KITS).name)
