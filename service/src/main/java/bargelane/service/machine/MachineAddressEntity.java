package bargelane.service.machine;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.IdClass;
import jakarta.persistence.Table;
import java.io.Serializable;
import java.net.InetAddress;
import org.hibernate.annotations.Immutable;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** An address of a machine; the database tells them from the facts. */
@Entity
@Immutable
@IdClass(MachineAddressEntity.Key.class)
@Table(name = "machine_address")
public class MachineAddressEntity {

  /** What makes a row one. */
  public record Key(String machineId, InetAddress address) implements Serializable {}

  @Id
  @Column(name = "machine_id")
  public String machineId;

  @Id
  @JdbcTypeCode(SqlTypes.INET)
  public InetAddress address;
}
