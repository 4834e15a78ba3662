"""The invented demo world: a rescue and ski-slope service, its vehicles and jobs."""
