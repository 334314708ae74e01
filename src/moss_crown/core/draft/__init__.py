"""What the browser draws, worked out here so that it computes no rule of the job."""
