DROP TABLE variants;
