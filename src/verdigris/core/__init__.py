"""The computation of the job: arrays in, arrays out. No files, database, web, settings or clock.

Coordinates everywhere: x right, y down, origin at the top-left corner of the image, pixel centres at
+0.5, units full-resolution plate pixels. Corner order: top-left, top-right, bottom-right, bottom-left.
"""
