"""What the tool does, each as a list of steps that hand on their results."""
