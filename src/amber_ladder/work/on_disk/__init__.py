"""What is done to plain files and folders, without database or server: for the command line and for the stages."""
