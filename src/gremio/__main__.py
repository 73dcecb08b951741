"""python -m gremio"""

from gremio.command.start import main

main()
