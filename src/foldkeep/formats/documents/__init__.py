"""Documents of projects: timelines, and whatever else names the files that it uses."""
