package bargelane.service.wave;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** A stretch of replication in one direction, from one common point. */
@Entity
@Table(name = "leg")
public class LegEntity {

  @Id public String id;

  @Column(name = "tow_id")
  public String towId;

  public int number;

  public String direction;

  public String state;

  public String marker;

  @Column(name = "base_point_id")
  public String basePointId;
}
