"""Pure computation: no Django, no asyncio, no I/O, no clock. Time comes in as an
argument."""
