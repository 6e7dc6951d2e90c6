Feature: Quay
  @BQ-21
  Scenario: A ticket is shown at the gate
    Given a ticket
    When it is shown
    Then the gate opens
