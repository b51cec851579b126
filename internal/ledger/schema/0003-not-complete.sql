-- What a run is called in which something required was not done.
UPDATE runs SET result = 'not complete' WHERE result = 'no statement';
