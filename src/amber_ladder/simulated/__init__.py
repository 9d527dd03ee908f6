"""The practice world: rail, camera, flash and seeded specimens, seen through the planned rig by scalar wave optics.

What is modelled: diffraction and defocus of a circular pupil in three wavelengths, nearer parts covering farther ones,
magnification that changes with focus, slow drift and turning, flicker of the light, a flash that recharges, room light,
shaking, photon and read noise, hot pixels, dust, specimens that move, JPEG. What is not: aberrations of the lens,
coherent light, glare inside the tube.
"""
