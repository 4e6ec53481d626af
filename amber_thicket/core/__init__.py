"""The job's rules and mathematics: arrays in, arrays out. No interface, no files, no clock."""
