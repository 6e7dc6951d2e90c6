Feature: Quay
  @BQ-21
  Scenario: A ticket is shown at the gate
    Given a ticket
    When it is shown
    Then the gate opens

  Scenario: The seat map opens
    Given a seat map

  @BQ-20
  Scenario Outline: The ticket arrives by mail
    Given a ticket for <who>
    Examples:
      | who    | number |
      | adult  | 2      |
      | a dog  | 1      |
