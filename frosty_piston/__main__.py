from frosty_piston.cli import main

raise SystemExit(main())
