"""python -m gremio"""

from gremio.command.main import main

main()
