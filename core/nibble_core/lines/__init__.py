"""Production lines drawn from shapes: what a knife, a creaser or a beam follows, and what becomes of the stock.

``composing`` and ``figures`` make one piece of artworks, text and simple shapes. ``contour`` offsets its edge;
``perforation``, ``ties``, ``hanging``, ``bridges`` and ``stacking`` change a line as a sentence asks. ``bleed`` carries
the print beyond the edge. ``dropout`` and ``necks`` answer what falls and what is weak. All are pure: areas and paths
in mm go in, areas, paths and facts come out.
"""
