Feature: Ferry
  Scenario: The seat map opens
    Given a seat map on board
