"""Where the figures of loans and their schedules come from."""
