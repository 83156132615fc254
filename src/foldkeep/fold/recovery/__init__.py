"""What became of the files of a run, told from the disk, wherever a process was killed or the power went."""
