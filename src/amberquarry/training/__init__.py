"""Making the line reader's model: texts, faces, rendering, wear, training, export."""
