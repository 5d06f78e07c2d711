"""The rig and the bench renderer: light transport on a fixed look-dev scene, for the truth about colour.

Arrays of rays and of colours hold their components first: (3, n) for vectors, (bands, n) for colours, float32. A band
is one number that light is carried in: red, green or blue of a working space, or a band of wavelengths. The paths of
light do not depend on the bands, so pictures in several working spaces differ by colour alone, not by noise.
"""
