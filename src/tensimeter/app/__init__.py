"""What a person does with a job, without a window: used by the window and the command line alike."""
