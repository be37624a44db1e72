"""The Massing stage: pieces drawn through a photo, dragged, arranged, settled, brought in and looked at."""
