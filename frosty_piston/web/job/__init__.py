"""The pages of one job: a module per stage and screen."""
