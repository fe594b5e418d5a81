"""Jobs: the one way of long work. Asked for, told of while it runs, cancelled, taken up again, ended with a sentence."""
